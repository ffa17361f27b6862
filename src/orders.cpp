// Orders beside lines: how far each order came through the steps of a trail.
#include <Rcpp.h>

#include <algorithm>
#include <cmath>

#include "checks.h"

namespace orders {

// The least and the largest of whole numbers; false where one is none, missing ones aside.
template <class T, class Missing>
bool range_of(const T* x, R_xlen_t n, Missing missing, double& least, double& largest) {
  for (R_xlen_t i = 0; i < n; ++i) {
    if ((i & 0xFFFFF) == 0) Rcpp::checkUserInterrupt();
    if (missing(x[i])) continue;
    const double v = static_cast<double>(x[i]);
    if (std::fabs(v) > 9007199254740992.0 || v != std::floor(v)) return false;
    least = std::min(least, v);
    largest = std::max(largest, v);
  }
  return true;
}

template <class T, class Missing>
void reach(int* reached, R_xlen_t held, const T* x, R_xlen_t n, const int* rows, Missing missing, double first,
           const int* step, bool one) {
  for (R_xlen_t i = 0; i < n; ++i) {
    if ((i & 0xFFFFF) == 0) Rcpp::checkUserInterrupt();
    const T v = x[rows ? rows[i] - 1 : i];
    if (missing(v)) continue;
    const double place = static_cast<double>(v) - first;
    if (!(place >= 0 && place < static_cast<double>(held))) Rcpp::stop("an order that is not there");
    int& to = reached[static_cast<R_xlen_t>(place)];
    to = std::max(to, step[one ? 0 : i]);
  }
}

inline bool no_int(int v) { return v == NA_INTEGER; }
inline bool no_double(double v) { return std::isnan(v); }

}  // namespace orders

// Least and largest of whole numbers; NULL where some are none, or none is given.
// [[Rcpp::export(rng = false)]]
SEXP whole_range_kernel(SEXP x) {
  double least = R_PosInf, largest = R_NegInf;
  const bool whole = TYPEOF(x) == INTSXP
                       ? orders::range_of(INTEGER(x), Rf_xlength(x), orders::no_int, least, largest)
                       : TYPEOF(x) == REALSXP &&
                           orders::range_of(REAL(x), Rf_xlength(x), orders::no_double, least, largest);
  if (!whole || least > largest) return R_NilValue;
  return Rcpp::NumericVector::create(least, largest);
}

// Of each order the last step that one of its lines reached; `values` are the orders of lines as numbers from `first`
// on, `rows` the lines that count (NULL for all), `step` one or one for each of them.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector last_step_kernel(Rcpp::IntegerVector reached, SEXP values, double first,
                                   Rcpp::Nullable<Rcpp::IntegerVector> rows, Rcpp::IntegerVector step) {
  Rcpp::IntegerVector out = Rcpp::clone(reached);
  const int* at = nullptr;
  R_xlen_t n = Rf_xlength(values);
  if (rows.isNotNull()) {
    const Rcpp::IntegerVector some(rows);
    at = some.begin();
    border::check_rows(at, some.size(), n, 1);
    n = some.size();
  }
  if (step.size() != 1 && step.size() != n) Rcpp::stop("a step for each line");
  const bool one = step.size() == 1;
  if (TYPEOF(values) == INTSXP) {
    orders::reach(out.begin(), out.size(), INTEGER(values), n, at, orders::no_int, first, step.begin(), one);
  } else if (TYPEOF(values) == REALSXP) {
    orders::reach(out.begin(), out.size(), REAL(values), n, at, orders::no_double, first, step.begin(), one);
  } else {
    Rcpp::stop("orders are numbers or codes");
  }
  return out;
}
