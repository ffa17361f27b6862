// Files that are closed when nobody holds them any more, and places in them beyond 2 GB.
#pragma once
#include <Rcpp.h>

#include <cstdio>
#include <memory>
#include <string>

#include <sys/types.h>

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

}  // namespace files
