#include <Rcpp.h>

#include "money.h"

// Units of each value: NA stays NA, NaN is not a number, Inf is too large.
// [[Rcpp::export]]
Rcpp::NumericVector units_kernel(Rcpp::NumericVector x, int decimals, bool half_even) {
  const auto rounding = half_even ? money::Rounding::half_even : money::Rounding::half_up;
  const R_xlen_t n = x.size();
  Rcpp::NumericVector out(n);
  for (R_xlen_t i = 0; i < n; ++i) out[i] = money::units(x[i], decimals, rounding);
  return out;
}

// Exact sum of units, missing ones apart; NaN when it overflows.
// [[Rcpp::export]]
double sum_units_kernel(Rcpp::NumericVector x) {
  int64_t total = 0;
  try {
    for (double unit : x) {
      if (std::isfinite(unit)) total = money::add(total, static_cast<int64_t>(unit));
    }
    return money::publish(total);
  } catch (const std::overflow_error&) {
    return R_NaN;
  }
}

// The fewest decimals, at most `most`, that write every value exactly; `most` + 1 when none does.
// [[Rcpp::export]]
int decimals_kernel(Rcpp::NumericVector x, int most) {
  int decimals = 0;
  for (double value : x) {
    if (!std::isfinite(value)) continue;
    while (decimals <= most && !money::has_decimals(value, decimals)) ++decimals;
    if (decimals > most) break;
  }
  return decimals;
}
