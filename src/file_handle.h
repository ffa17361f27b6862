// Files that are closed when nobody holds them any more, and places in them beyond 2 GB.
#pragma once
#include <Rcpp.h>

#include <cstdio>
#include <memory>
#include <string>

#include <sys/types.h>
#if defined(__linux__)
#include <fcntl.h>
#endif

namespace files {

struct Close {
  void operator()(std::FILE* file) const { std::fclose(file); }
};
using File = std::unique_ptr<std::FILE, Close>;

inline File opened(const std::string& path, const char* how) {
  File file(std::fopen(path.c_str(), how));
  if (!file) Rcpp::stop("%s cannot be opened", path);
  return file;
}

inline bool move_to(std::FILE* file, double offset) {
#if defined(_WIN32)
  return _fseeki64(file, static_cast<long long>(offset), SEEK_SET) == 0;
#else
  return fseeko(file, static_cast<off_t>(offset), SEEK_SET) == 0;
#endif
}

// Lets the system put what was written so far on the disk while more is written, so that waiting for the disk at the
// end takes less time.
inline void begin_to_settle(std::FILE* file) {
#if defined(__linux__)
  static_cast<void>(sync_file_range(fileno(file), 0, 0, SYNC_FILE_RANGE_WRITE));
#else
  static_cast<void>(file);
#endif
}

}  // namespace files
