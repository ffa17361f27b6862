#include <Rcpp.h>

#include "threads.h"

// Processors that threads can use.
// [[Rcpp::export]]
int processors_kernel() {
#ifdef _OPENMP
  return omp_get_num_procs();
#else
  return 1;
#endif
}
