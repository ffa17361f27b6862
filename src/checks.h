// Kernels check their arguments once, on entry; code behind that relies on it.
#pragma once
#include <Rcpp.h>

#include "threads.h"

namespace border {

// Rows from 1 of this many.
inline void check_rows(const int* rows, std::size_t n, R_xlen_t held, int wanted) {
  std::atomic<bool> good{true};
  threads::ranges(n, wanted, [&](std::size_t a, std::size_t b) {
    bool all = true;
    for (std::size_t i = a; i < b; ++i) all &= rows[i] >= 1 && rows[i] <= held;
    if (!all) good = false;
  });
  if (!good) Rcpp::stop("a row number out of range");
}

}  // namespace border
