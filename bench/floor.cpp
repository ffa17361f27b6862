// The floor: what a plain loop over already-coded arrays takes, without finding groups, labels or order.
// [[Rcpp::plugins(cpp11)]]
#include <Rcpp.h>
#include <vector>

// [[Rcpp::export]]
double floor_two(Rcpp::IntegerVector a, Rcpp::IntegerVector b, Rcpp::IntegerVector units, int size_a, int size_b) {
  std::vector<long long> sums(static_cast<std::size_t>(size_a + 1) * (size_b + 1));
  const int *x = INTEGER(a), *y = INTEGER(b), *u = INTEGER(units);
  const std::size_t n = a.size(), width = size_b + 1;
  for (std::size_t i = 0; i < n; ++i) sums[x[i] * width + y[i]] += u[i];
  return static_cast<double>(sums[width + 1]);
}

// [[Rcpp::export]]
double floor_three(Rcpp::IntegerVector a, Rcpp::IntegerVector b, Rcpp::IntegerVector c, Rcpp::IntegerVector units,
                   int size_a,
                   int size_b, int size_c) {
  std::vector<long long> sums(static_cast<std::size_t>(size_a + 1) * (size_b + 1) * (size_c + 1));
  const int *x = INTEGER(a), *y = INTEGER(b), *z = INTEGER(c), *u = INTEGER(units);
  const std::size_t n = a.size(), width_b = size_b + 1, width_c = size_c + 1;
  for (std::size_t i = 0; i < n; ++i) sums[(x[i] * width_b + y[i]) * width_c + z[i]] += u[i];
  return static_cast<double>(sums[1]);
}
