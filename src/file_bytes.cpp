// The bytes of a file as a raw vector that holds no copy of them.
#include <Rcpp.h>
#include <R_ext/Altrep.h>

#include <memory>
#include <string>

#if defined(__unix__) || defined(__APPLE__)
#include <fcntl.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>
#define HINTERFELD_MAPS_FILES
#endif

namespace file_bytes {

namespace {

#ifdef HINTERFELD_MAPS_FILES
class Mapping {
 public:
  explicit Mapping(const std::string& path) {
    const int file = open(path.c_str(), O_RDONLY);
    struct stat about;
    if (file < 0) return;
    if (fstat(file, &about) == 0 && S_ISREG(about.st_mode) && about.st_size > 0) {
      size_ = static_cast<std::size_t>(about.st_size);
      // Whoever writes into the vector does not write into the file.
      start_ = mmap(nullptr, size_, PROT_READ | PROT_WRITE, MAP_PRIVATE, file, 0);
    }
    close(file);
  }
  Mapping(const Mapping&) = delete;
  Mapping& operator=(const Mapping&) = delete;
  ~Mapping() {
    if (good()) munmap(start_, size_);
  }
  bool good() const { return start_ != MAP_FAILED; }
  void* start() const { return start_; }
  std::size_t size() const { return size_; }

 private:
  void* start_ = MAP_FAILED;
  std::size_t size_ = 0;
};

R_altrep_class_t bytes_class;

const Mapping& mapping(SEXP x) { return *Rcpp::XPtr<Mapping>(R_altrep_data1(x)); }

R_xlen_t length(SEXP x) { return static_cast<R_xlen_t>(mapping(x).size()); }
void* data(SEXP x, Rboolean) { return mapping(x).start(); }
const void* data_or_null(SEXP x) { return mapping(x).start(); }
#endif

}  // namespace

}  // namespace file_bytes

// [[Rcpp::init]]
void make_file_bytes(DllInfo* dll) {
#ifdef HINTERFELD_MAPS_FILES
  using namespace file_bytes;
  bytes_class = R_make_altraw_class("file_bytes", "hinterfeld", dll);
  R_set_altrep_Length_method(bytes_class, length);
  R_set_altvec_Dataptr_method(bytes_class, data);
  R_set_altvec_Dataptr_or_null_method(bytes_class, data_or_null);
#else
  (void)dll;
#endif
}

// The bytes of a file that nobody changes meanwhile; NULL where they cannot be had without a copy.
// [[Rcpp::export(rng = false)]]
SEXP file_bytes_kernel(std::string path) {
#ifdef HINTERFELD_MAPS_FILES
  std::unique_ptr<file_bytes::Mapping> found(new file_bytes::Mapping(path));
  if (found->good()) {
    return R_new_altrep(file_bytes::bytes_class, Rcpp::XPtr<file_bytes::Mapping>(found.release()), R_NilValue);
  }
#endif
  return R_NilValue;
}
