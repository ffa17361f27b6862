// What the change of each scope is made of: volume, mix and price of the members that have a price in both periods, and
// the change of those that have one in one of them.
#include <Rcpp.h>

#include <cmath>
#include <vector>

namespace {

struct Scope {
  double r0 = 0, r1 = 0, q0 = 0, q1 = 0, came = 0, gone = 0, returned = 0;
  long double at_earlier_prices = 0, listed = 0;
  bool unknown = false;
};

double rounded(long double x) { return std::round(static_cast<double>(x)); }

}  // namespace

// Columns of `before` and `now`, a row for each member: amount, pieces, value at list prices, and what was returned; in
// minor units of the amount. `scope` from 1, or missing for a member of none. A column each for volume, mix, price,
// discount, new, gone and returns, and 1 where they are known, 2 where a value is not. Volume and mix share one rounded
// number, mix and price another, price and discount (if `has_list`) a third, so all add up to the change.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix causes_kernel(Rcpp::IntegerVector scope, int scopes, Rcpp::NumericMatrix before,
                                  Rcpp::NumericMatrix now, bool has_list) {
  const R_xlen_t n = scope.size();
  if (before.nrow() != n || now.nrow() != n || before.ncol() != 4 || now.ncol() != 4 || scopes < 0) {
    Rcpp::stop("four values for each member");
  }
  std::vector<Scope> all(scopes);
  for (R_xlen_t i = 0; i < n; ++i) {
    if (scope[i] == NA_INTEGER) continue;
    if (scope[i] < 1 || scope[i] > scopes) Rcpp::stop("a scope out of range");
    Scope& own = all[scope[i] - 1];
    const double r0 = before(i, 0), r1 = now(i, 0), q0 = before(i, 1), q1 = now(i, 1), l0 = before(i, 2),
                 l1 = now(i, 2), back = now(i, 3) - before(i, 3);
    if (std::isnan(r0 + r1 + q0 + q1 + l0 + l1 + back)) {
      own.unknown = true;
      continue;
    }
    own.returned += back;
    // Where more came back than was sold there is no price.
    const bool earlier = q0 > 0 && r0 >= 0, later = q1 > 0 && r1 >= 0;
    if (!earlier) {
      own.came += r1 - r0;
    } else if (!later) {
      own.gone += r1 - r0;
    } else {
      own.r0 += r0;
      own.r1 += r1;
      own.q0 += q0;
      own.q1 += q1;
      own.at_earlier_prices += static_cast<long double>(q1) * r0 / q0;
      own.listed += l1 - static_cast<long double>(q1) * l0 / q0;
    }
  }
  Rcpp::NumericMatrix out(scopes, 8);
  for (int s = 0; s < scopes; ++s) {
    const Scope& own = all[s];
    if (own.unknown) {
      for (int k = 0; k < 7; ++k) out(s, k) = NA_REAL;
      out(s, 7) = 2;
      continue;
    }
    const double more = own.q0 > 0 ? rounded(static_cast<long double>(own.r0) * own.q1 / own.q0) : 0;
    const double priced = rounded(own.at_earlier_prices);
    const double price = has_list ? rounded(own.listed) : own.r1 - priced;
    const double values[] = {more - own.r0, priced - more, price, own.r1 - priced - price, own.came, own.gone,
                             own.returned, 1};
    for (int k = 0; k < 8; ++k) out(s, k) = values[k];
  }
  return out;
}
