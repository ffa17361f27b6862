// Two paths exchange their names in one step, so that a reader finds either the one or the other.
#include <Rcpp.h>

#if defined(__linux__)
#include <fcntl.h>
#include <sys/syscall.h>
#include <unistd.h>
#elif defined(__APPLE__)
#include <stdio.h>
#endif

// False where the system cannot do it.
// [[Rcpp::export(rng = false)]]
bool swap_paths_kernel(std::string one, std::string other) {
#if defined(__linux__) && defined(SYS_renameat2)
  const unsigned int exchange = 1u << 1;  // RENAME_EXCHANGE of renameat2(2)
  return syscall(SYS_renameat2, AT_FDCWD, one.c_str(), AT_FDCWD, other.c_str(), exchange) == 0;
#elif defined(__APPLE__) && defined(RENAME_SWAP)
  return renamex_np(one.c_str(), other.c_str(), RENAME_SWAP) == 0;
#else
  return false;
#endif
}
