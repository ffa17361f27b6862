// Kernels check their arguments once, on entry; code behind that relies on it.
#pragma once
#include <Rcpp.h>

#include "keys.h"
#include "lazy_rows.h"
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

// A key of some lines: a list of codes (NULL where all have the first one), size, lookup (or NULL) and first. A caller
// that reads each code once, and holds `kept` meanwhile, may get some rows of a longer column.
inline tally::Key key(const Rcpp::List& given, std::size_t lines, lazy_rows::Kept* kept = nullptr) {
  SEXP codes = given["codes"], lookup = given["lookup"];
  const double size = Rcpp::as<double>(given["size"]);
  const bool one = Rf_isNull(codes) && size == 1;
  if (!one && (TYPEOF(codes) != INTSXP || !(size >= 0 && size <= INT_MAX) ||
               static_cast<std::size_t>(Rf_xlength(codes)) < lines)) {
    Rcpp::stop("not one code for each line");
  }
  const lazy_rows::Found found = kept ? lazy_rows::find(codes, *kept) : lazy_rows::Found{codes, nullptr};
  return {one ? nullptr : INTEGER_RO(found.values), found.rows, static_cast<uint64_t>(size),
          Rf_isNull(lookup) ? nullptr : INTEGER_RO(lookup), Rcpp::as<int>(given["first"]), Rf_length(lookup)};
}

}  // namespace border
