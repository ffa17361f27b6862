#include <Rcpp.h>

#include "threads.h"

// Threads that there may be: as many as processors, unless OMP_NUM_THREADS or OMP_THREAD_LIMIT says less.
// [[Rcpp::export(rng = false)]]
int processors_kernel() {
#ifdef _OPENMP
  return std::max(1, std::min(omp_get_max_threads(), omp_get_thread_limit()));
#else
  return 1;
#endif
}
