#include <Rcpp.h>

#include "order.h"
#include "ranks.h"
#include "running.h"

namespace {

ranks::Ties ties_of(const std::string& name) {
  if (name == "dense") return ranks::Ties::dense;
  if (name == "ordinal") return ranks::Ties::ordinal;
  if (name == "modified") return ranks::Ties::modified;
  if (name == "fractional") return ranks::Ties::fractional;
  return ranks::Ties::standard;
}

// Row numbers from 0.
std::vector<int> from_zero(const Rcpp::IntegerVector& order) {
  std::vector<int> out(order.begin(), order.end());
  for (int& row : out) --row;
  return out;
}

}  // namespace

// Rank of each row; `order` puts rows in order of scope and from the best value, missing ones last.
// [[Rcpp::export]]
Rcpp::NumericVector rank_kernel(Rcpp::IntegerVector order, Rcpp::IntegerVector scope, Rcpp::NumericVector value,
                                std::string ties) {
  Rcpp::NumericVector out(value.size(), NA_REAL);
  double* to = REAL(out);
  ranks::assign(from_zero(order).data(), order.size(), scope.begin(), value.begin(), ties_of(ties),
                [&](int row, double rank) { to[row] = rank; });
  return out;
}

// Running totals (width 0) or moving sums over `width` places, in units; `order` puts rows in order of
// scope and place. NaN everywhere when a total does not fit.
// [[Rcpp::export]]
Rcpp::NumericVector running_kernel(Rcpp::IntegerVector order, Rcpp::IntegerVector scope, Rcpp::IntegerVector place,
                                   Rcpp::NumericVector value, int width) {
  Rcpp::NumericVector out(value.size(), NA_REAL);
  double* to = REAL(out);
  auto put = [&](int row, int64_t total) { to[row] = money::publish(total); };
  const std::vector<int> rows = from_zero(order);
  try {
    if (width == 0) {
      running::totals(rows.data(), rows.size(), scope.begin(), place.begin(), value.begin(), put);
    } else {
      running::moving(rows.data(), rows.size(), scope.begin(), place.begin(), value.begin(), width, put);
    }
  } catch (const std::overflow_error&) {
    std::fill(out.begin(), out.end(), R_NaN);
  }
  return out;
}

// Row numbers (from 1) in order of scope, value and tie; `tie` may be NULL. Missing values come last in their scope.
// [[Rcpp::export]]
Rcpp::IntegerVector order_kernel(Rcpp::IntegerVector scope, int scopes, Rcpp::NumericVector value, SEXP tie, bool highest_first, int threads) {
  const std::size_t n = scope.size();
  Rcpp::IntegerVector out(n);
  int* to = INTEGER(out);
  order::in_scopes(n, INTEGER(scope), scopes, REAL(value), Rf_isNull(tie) ? nullptr : INTEGER(tie), highest_first, threads, to);
  for (std::size_t i = 0; i < n; ++i) ++to[i];
  return out;
}

// The first and the last of whole numbers, without the missing.
// [[Rcpp::export]]
Rcpp::IntegerVector extent_kernel(Rcpp::IntegerVector x) {
  int least = INT_MAX, most = INT_MIN;
  const int* value = INTEGER(x);
  const R_xlen_t n = x.size();
  for (R_xlen_t i = 0; i < n; ++i) {
    if (value[i] == INT_MIN) continue;
    least = std::min(least, value[i]);
    most = std::max(most, value[i]);
  }
  return Rcpp::IntegerVector::create(least, most);
}
