// Memory in large pages where the system has them: a page is looked up less often, and millions of rows are given by
// hundreds of requests instead of hundreds of thousands.
#pragma once
#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <new>

#if defined(__linux__)
#include <sys/mman.h>
#endif

#include <Rcpp.h>

namespace pages {

constexpr std::size_t kLarge = std::size_t{1} << 21;

// Asks for large pages for what lies between their bounds. A wish only: nothing changes where it is not granted.
inline void prefer_large(void* start, std::size_t bytes) {
#if defined(__linux__)
  const uintptr_t from = (reinterpret_cast<uintptr_t>(start) + kLarge - 1) / kLarge * kLarge;
  const uintptr_t to = (reinterpret_cast<uintptr_t>(start) + bytes) / kLarge * kLarge;
  if (from < to) madvise(reinterpret_cast<void*>(from), to - from, MADV_HUGEPAGE);
#else
  (void)start;
  (void)bytes;
#endif
}

// A new R vector of integers, logicals or doubles, not yet filled, for a caller that leaves nothing behind when R
// jumps.
inline SEXP plain_vector(SEXPTYPE type, std::size_t n) {
  SEXP out = Rf_allocVector(type, static_cast<R_xlen_t>(n));
  if (type == REALSXP) prefer_large(REAL(out), n * sizeof(double));
  if (type == INTSXP) prefer_large(INTEGER(out), n * sizeof(int));
  if (type == LGLSXP) prefer_large(LOGICAL(out), n * sizeof(int));
  return out;
}

// The same where C++ objects live: when memory is short R's error becomes an exception, and their destructors run.
inline SEXP vector(SEXPTYPE type, std::size_t n) {
  return Rcpp::unwindProtect([=] { return plain_vector(type, n); });
}

// Memory that the system gives as zeros when it is first touched.
template <typename T>
class Zeros {
 public:
  explicit Zeros(std::size_t n) : bytes_(std::max<std::size_t>(n, 1) * sizeof(T)) {
#if defined(__linux__)
    if (bytes_ >= kLarge) {
      mapped_ = bytes_ + kLarge;
      start_ = mmap(nullptr, mapped_, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
      if (start_ == MAP_FAILED) throw std::bad_alloc();
      data_ = aligned(kLarge);
      prefer_large(data_, bytes_);
      return;
    }
#endif
    // Threads write into arrays of their own; two that met in one cache line would wait for each other at every write.
    start_ = std::calloc(bytes_ + 2 * kLine, 1);
    if (start_ == nullptr) throw std::bad_alloc();
    data_ = aligned(kLine);
  }
  Zeros(Zeros&& other) noexcept { swap(other); }
  Zeros& operator=(Zeros&& other) noexcept {
    swap(other);
    return *this;
  }
  ~Zeros() {
#if defined(__linux__)
    if (mapped_ > 0) {
      munmap(start_, mapped_);
      return;
    }
#endif
    std::free(start_);
  }
  T* get() const { return data_; }

 private:
  static constexpr std::size_t kLine = 128;  // processors fetch lines of 64 bytes in pairs
  T* aligned(std::size_t to) const {
    return reinterpret_cast<T*>((reinterpret_cast<uintptr_t>(start_) + to - 1) / to * to);
  }
  void swap(Zeros& other) {
    std::swap(bytes_, other.bytes_);
    std::swap(mapped_, other.mapped_);
    std::swap(start_, other.start_);
    std::swap(data_, other.data_);
  }
  std::size_t bytes_ = 0, mapped_ = 0;
  void* start_ = nullptr;
  T* data_ = nullptr;
};

// Memory for values whose number is not known: what is not used is not touched.
template <typename T>
class Growing {
 public:
  Growing() = default;
  Growing(Growing&& other) noexcept : data_(other.data_), held_(other.held_) {
    other.data_ = nullptr;
    other.held_ = 0;
  }
  Growing& operator=(Growing&&) = delete;
  ~Growing() { clear(); }

  void make_room(std::size_t n) {
    if (n <= held_) return;
    const std::size_t wanted = std::max(n, 2 * held_);
#if defined(__linux__)
    // Moved without being copied.
    void* larger = data_ == nullptr ? mmap(nullptr, wanted * sizeof(T), PROT_READ | PROT_WRITE,
                                           MAP_PRIVATE | MAP_ANONYMOUS, -1, 0)
                                    : mremap(data_, held_ * sizeof(T), wanted * sizeof(T), MREMAP_MAYMOVE);
    if (larger == MAP_FAILED) throw std::bad_alloc();
    // All of it: what is wished for a part would cut the mapping, and it could not be moved.
    madvise(larger, wanted * sizeof(T), MADV_HUGEPAGE);
#else
    void* larger = std::realloc(data_, wanted * sizeof(T));
    if (larger == nullptr) throw std::bad_alloc();
#endif
    data_ = static_cast<T*>(larger);
    held_ = wanted;
  }
  T* data() const { return data_; }
  void clear() {
#if defined(__linux__)
    if (data_ != nullptr) munmap(data_, held_ * sizeof(T));
#else
    std::free(data_);
#endif
    data_ = nullptr;
    held_ = 0;
  }

 private:
  T* data_ = nullptr;
  std::size_t held_ = 0;
};

}  // namespace pages
