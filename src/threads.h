// Work split over threads. Threads see plain memory only; R is asked about interrupts by the first thread, which is the
// one that R called. The others end with their work: a process that is copied has no threads that the copy would wait
// for, whatever other packages did before.
#pragma once
#include <algorithm>
#include <atomic>
#include <chrono>
#include <condition_variable>
#include <cstddef>
#include <exception>
#include <mutex>
#include <stdexcept>
#include <system_error>
#include <thread>
#include <vector>
#if defined(__unix__) || defined(__APPLE__)
#include <pthread.h>
#include <signal.h>
#define HINTERFELD_HAS_SIGNALS
#endif
#ifdef _OPENMP
#include <omp.h>
#define HINTERFELD_SIMD _Pragma("omp simd")
#define HINTERFELD_SIMD_MIN(least) _Pragma("omp simd reduction(min : least)")
#define HINTERFELD_SIMD_OR(over) _Pragma("omp simd reduction(| : over)")
#define HINTERFELD_SIMD_ENDS(least, largest) _Pragma("omp simd reduction(min : least) reduction(max : largest)")
#else
#define HINTERFELD_SIMD
#define HINTERFELD_SIMD_MIN(least)
#define HINTERFELD_SIMD_OR(over)
#define HINTERFELD_SIMD_ENDS(least, largest)
#endif

namespace threads {

// Fewer lines than this are not worth a second thread.
constexpr std::size_t kLeast = 50000;

inline int useful(std::size_t n, int wanted) {
  return static_cast<int>(std::max<std::size_t>(1, std::min<std::size_t>(wanted, n / kLeast)));
}

// What one thread throws stops the others and is thrown again outside.
class Failure {
 public:
  bool seen() const { return seen_.load(std::memory_order_relaxed); }
  template <typename Work>
  void guard(Work work) {
    try {
      work();
    } catch (...) {
      std::lock_guard<std::mutex> lock(mutex_);
      if (!first_) first_ = std::current_exception();
      seen_ = true;
    }
  }
  void rethrow() {
    if (first_) std::rethrow_exception(first_);
  }

 private:
  std::atomic<bool> seen_{false};
  std::mutex mutex_;
  std::exception_ptr first_;
};

// Threads 1..count that run at the same time as the caller. Signals are for the thread that R runs in.
class Others {
 public:
  // What run(thread) cannot have a thread for, the caller must do.
  template <typename Run>
  Others(int count, const Run& run) {
#ifdef HINTERFELD_HAS_SIGNALS
    sigset_t all, former;
    sigfillset(&all);
    const bool held = pthread_sigmask(SIG_SETMASK, &all, &former) == 0;
#endif
    try {
      while (started() < count) threads_.emplace_back(run, started());
    } catch (const std::system_error&) {
    }
#ifdef HINTERFELD_HAS_SIGNALS
    if (held) pthread_sigmask(SIG_SETMASK, &former, nullptr);
#endif
  }
  ~Others() {
    for (std::thread& thread : threads_) thread.join();
  }
  int started() const { return static_cast<int>(threads_.size()) + 1; }

 private:
  std::vector<std::thread> threads_;
};

// work(thread, failure) for each thread; long work asks failure.seen() now and then, and stops.
template <typename Work>
void each_watched(int count, Work work) {
  Failure failure;
  const auto run = [&](int t) {
    if (!failure.seen()) failure.guard([&] { work(t, failure); });
  };
  {
    const Others others(count, run);
    run(0);
    for (int t = others.started(); t < count; ++t) run(t);
  }
  failure.rethrow();
}

// work(thread) for each thread.
template <typename Work>
void each(int count, Work work) {
  each_watched(count, [&](int t, const Failure&) { work(t); });
}

// work(from, to, thread) for one range of 0..n for each thread, in their order.
template <typename Work>
void each_range(std::size_t n, int count, Work work) {
  each(count, [&](int t) { work(n * t / count, n * (t + 1) / count, t); });
}

// Work is divided into this many parts for each thread.
constexpr int kParts = 4;

// work(part, thread) for each part. A thread that has done a part takes the next one, so that a processor that other
// programs use as well does not hold up the others; the parts of a thread come in their order.
template <typename Work>
void in_turn(int parts, int count, Work work) {
  std::atomic<int> next{0};
  each_watched(std::min(parts, count), [&](int t, const Failure& failure) {
    for (int part; !failure.seen() && (part = next++) < parts;) work(part, t);
  });
}

// work(from, to, thread) for pieces of 0..n of this size.
template <typename Work>
void pieces(std::size_t n, std::size_t size, int count, Work work) {
  in_turn(static_cast<int>((n + size - 1) / size), count, [&](int part, int t) {
    work(size * part, std::min(n, size * (part + 1)), t);
  });
}

// work(part, thread) for each part, then done(part, thread) for one part at a time, in their order.
template <typename Work, typename Done>
void in_order(int parts, int count, Work work, Done done) {
  std::atomic<int> next{0};
  int ended = 0;
  std::mutex mutex;
  std::condition_variable moved;
  each_watched(std::min(parts, count), [&](int t, const Failure& failure) {
    for (int part; !failure.seen() && (part = next++) < parts;) {
      work(part, t);
      std::unique_lock<std::mutex> lock(mutex);
      // A thread that fails tells nobody.
      while (ended < part && !failure.seen()) moved.wait_for(lock, std::chrono::milliseconds(20));
      if (ended < part) return;
      done(part, t);
      ++ended;
      moved.notify_all();
    }
  });
}

// A thread takes no second range of fewer lines: two that are the first to touch a page of memory wait for each other.
constexpr std::size_t kRange = std::size_t{1} << 19;

// work(from, to) for ranges that together are 0..n.
template <typename Work>
void ranges(std::size_t n, int wanted, Work work) {
  const int count = useful(n, wanted);
  const std::size_t parts = count * std::max<std::size_t>(1, std::min<std::size_t>(kParts, n / (count * kRange)));
  in_turn(static_cast<int>(parts), count, [&](int part, int) {
    const std::size_t from = n * part / parts, to = n * (part + 1) / parts;
    if (from < to) work(from, to);
  });
}

// Deals n lines out into parts, those of a part in their order: returns where each part starts, and the end. Threads go
// through their lines twice, each(from, to, thread, failure, work) with work(part, thing ...), to count them and to put
// them down: put(place, thing ...).
template <typename Each, typename Put>
std::vector<std::size_t> deal(std::size_t parts, std::size_t n, int count, Each each, Put put) {
  auto first = [&](int t) { return n * t / count; };
  // How many things of each part each thread has; then where its next one goes.
  std::vector<std::vector<std::size_t>> next(count, std::vector<std::size_t>(parts, 0));
  each_watched(count, [&](int t, const Failure& failure) {
    std::size_t* mine = next[t].data();
    each(first(t), first(t + 1), t, failure, [mine](std::size_t part, const auto&...) { ++mine[part]; });
  });
  std::vector<std::size_t> start(parts + 1, 0);
  for (std::size_t p = 0; p < parts; ++p) {
    start[p + 1] = start[p];
    for (int t = 0; t < count; ++t) {
      const std::size_t things = next[t][p];
      next[t][p] = start[p + 1];
      start[p + 1] += things;
    }
  }
  each_watched(count, [&](int t, const Failure& failure) {
    std::size_t* mine = next[t].data();
    each(first(t), first(t + 1), t, failure,
         [&](std::size_t part, const auto&... thing) { put(mine[part]++, thing...); });
  });
  return start;
}

}  // namespace threads
