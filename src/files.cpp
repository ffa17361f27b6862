// Files written and settled with every answer of the system looked at.
#include <Rcpp.h>

#include <cerrno>
#include <cstdio>
#include <cstring>
#include <string>
#include <sys/stat.h>

#if !defined(_WIN32)
#include <dlfcn.h>
#include <fcntl.h>
#include <poll.h>
#include <unistd.h>
#endif

namespace {

// Flushes to the disk itself: some systems report a full disk only then.
bool settled(std::FILE* file) {
#if defined(_WIN32)
  return std::fflush(file) == 0;
#else
  // Pipes and the like have nothing to settle.
  return std::fflush(file) == 0 && (fsync(fileno(file)) == 0 || errno == EINVAL || errno == EROFS);
#endif
}

std::string closed(std::FILE* file, bool good) {
  int code = good ? 0 : errno;
  if (std::fclose(file) != 0 && code == 0) code = errno;
  return code == 0 ? "" : std::strerror(code);
}

}  // namespace

// Writes bytes as a file: "" when all of them are on the disk, else what the system says.
// [[Rcpp::export(rng = false)]]
std::string write_bytes_kernel(std::string path, Rcpp::RawVector bytes) {
  std::FILE* file = std::fopen(path.c_str(), "wb");
  if (file == nullptr) return std::strerror(errno);
  const std::size_t n = bytes.size();
  const bool good = (n == 0 || std::fwrite(&bytes[0], 1, n, file) == n) && settled(file);
  return closed(file, good);
}

// Puts a file that others have written on the disk: "" or what the system says.
// [[Rcpp::export(rng = false)]]
std::string flush_file_kernel(std::string path) {
  std::FILE* file = std::fopen(path.c_str(), "rb+");
  if (file == nullptr) return std::strerror(errno);
  return closed(file, settled(file));
}

// Gives a file the rights of another and, as far as this process may, its owner and group. Nothing where there is none.
// [[Rcpp::export(rng = false)]]
void same_rights_kernel(std::string of, std::string to) {
#if !defined(_WIN32)
  struct stat about;
  if (stat(of.c_str(), &about) != 0) return;
  unsigned mode = about.st_mode & 07777u;
  // The owner first, for giving a file away takes rights from it. Another group gets no more than everybody.
  const uid_t mine = static_cast<uid_t>(-1);
  if (chown(to.c_str(), about.st_uid, about.st_gid) != 0 && chown(to.c_str(), mine, about.st_gid) != 0) {
    mode = (mode & ~070u) | (mode & 07u) << 3;
  }
  // Some disks know no rights.
  if (chmod(to.c_str(), mode) != 0) return;
#endif
}

// Has writing to standard output failed? A closed pipe is not a failure: its reader has seen enough.
// [[Rcpp::export(rng = false)]]
bool output_failed_kernel() {
#if defined(_WIN32)
  return false;
#else
  // R writes there; this only asks how that went, and looks the stream up instead of being linked to it.
  FILE* const* stream = static_cast<FILE* const*>(dlsym(RTLD_DEFAULT, "stdout"));
  if (stream == nullptr) return false;
  const bool failed = std::fflush(*stream) != 0 || std::ferror(*stream) != 0;
  struct stat about;
  if (failed && fstat(STDOUT_FILENO, &about) == 0 && (S_ISFIFO(about.st_mode) || S_ISSOCK(about.st_mode))) return false;
  return failed;
#endif
}

// Has the reader of standard output closed it?
// [[Rcpp::export(rng = false)]]
bool output_closed_kernel() {
#if defined(_WIN32)
  return false;
#else
  pollfd output{STDOUT_FILENO, POLLOUT, 0};
  return poll(&output, 1, 0) > 0 && (output.revents & (POLLERR | POLLHUP)) != 0;
#endif
}

// What tells without reading whether a file is another or has changed: "" if there is none.
// [[Rcpp::export(rng = false)]]
Rcpp::CharacterVector file_stamps_kernel(Rcpp::CharacterVector paths) {
  Rcpp::CharacterVector stamps(paths.size());
  for (R_xlen_t i = 0; i < paths.size(); ++i) {
    struct stat about;
    if (stat(CHAR(STRING_ELT(paths, i)), &about) != 0) continue;
    const auto whole = [](auto x) { return std::to_string(static_cast<long long>(x)); };
    std::string stamp = whole(about.st_dev) + " " + whole(about.st_ino) + " " + whole(about.st_size) + " ";
#if defined(_WIN32)
    stamp += whole(about.st_mtime);
#elif defined(__APPLE__)
    stamp += whole(about.st_mtimespec.tv_sec) + "." + whole(about.st_mtimespec.tv_nsec) + " ";
    stamp += whole(about.st_ctimespec.tv_sec) + "." + whole(about.st_ctimespec.tv_nsec);
#else
    stamp += whole(about.st_mtim.tv_sec) + "." + whole(about.st_mtim.tv_nsec) + " ";
    stamp += whole(about.st_ctim.tv_sec) + "." + whole(about.st_ctim.tv_nsec);
#endif
    stamps[i] = stamp;
  }
  return stamps;
}

// What a path leads to: file, folder, other (a pipe, a device) or none.
// [[Rcpp::export(rng = false)]]
std::string file_kind_kernel(std::string path) {
#if defined(_WIN32)
  return "file";
#else
  struct stat about;
  if (stat(path.c_str(), &about) != 0) return "none";
  return S_ISREG(about.st_mode) ? "file" : S_ISDIR(about.st_mode) ? "folder" : "other";
#endif
}

// Says no more on standard error: for a copy of this process whose end is told by the process itself.
// [[Rcpp::export(rng = false)]]
void silence_kernel() {
#if !defined(_WIN32)
  const int nowhere = open("/dev/null", O_WRONLY);
  if (nowhere >= 0) dup2(nowhere, STDERR_FILENO);
#endif
}
