// What the change of each scope is made of: volume, mix and price of the members that have a price in both periods, and
// the change of those that have one in one of them.
#include <Rcpp.h>

#include <cmath>
#include <vector>

namespace {

struct Scope {
  double r0 = 0, r1 = 0, q0 = 0, q1 = 0, came = 0, gone = 0;
  long double at_earlier_prices = 0;
  bool unknown = false;
};

}  // namespace

// Amounts and pieces of members, in minor units; `scope` from 1, or missing for a member of none. A column each for
// volume, mix, price, new and gone, and 1 where they are known, 2 where a value is not. Volume and mix share one
// rounded number and mix and price another, so all five add up to the change.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix causes_kernel(Rcpp::IntegerVector scope, int scopes, Rcpp::NumericVector before,
                                  Rcpp::NumericVector now, Rcpp::NumericVector pieces_before,
                                  Rcpp::NumericVector pieces_now) {
  const R_xlen_t n = scope.size();
  if (before.size() != n || now.size() != n || pieces_before.size() != n || pieces_now.size() != n || scopes < 0) {
    Rcpp::stop("four values for each member");
  }
  std::vector<Scope> all(scopes);
  for (R_xlen_t i = 0; i < n; ++i) {
    if (scope[i] == NA_INTEGER) continue;
    if (scope[i] < 1 || scope[i] > scopes) Rcpp::stop("a scope out of range");
    Scope& own = all[scope[i] - 1];
    const double r0 = before[i], r1 = now[i], q0 = pieces_before[i], q1 = pieces_now[i];
    if (std::isnan(r0) || std::isnan(r1) || std::isnan(q0) || std::isnan(q1)) {
      own.unknown = true;
      continue;
    }
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
    }
  }
  Rcpp::NumericMatrix out(scopes, 6);
  for (int s = 0; s < scopes; ++s) {
    const Scope& own = all[s];
    if (own.unknown) {
      for (int k = 0; k < 5; ++k) out(s, k) = NA_REAL;
      out(s, 5) = 2;
      continue;
    }
    const double more = own.q0 > 0 ? std::round(static_cast<double>(static_cast<long double>(own.r0) * own.q1 / own.q0))
                                   : 0;
    const double priced = std::round(static_cast<double>(own.at_earlier_prices));
    out(s, 0) = more - own.r0;
    out(s, 1) = priced - more;
    out(s, 2) = own.r1 - priced;
    out(s, 3) = own.came;
    out(s, 4) = own.gone;
    out(s, 5) = 1;
  }
  return out;
}
