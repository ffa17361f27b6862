#include <Rcpp.h>

#include "text.h"

// Decimals written as text: NA for blank text, NaN for what is not a number. `group` is "" where digits are not
// grouped.
// [[Rcpp::export]]
Rcpp::NumericVector read_numbers_kernel(Rcpp::CharacterVector x, std::string decimal, std::string group) {
  const text::Marks marks{decimal[0], group.empty() ? '\0' : group[0]};
  const R_xlen_t n = x.size();
  Rcpp::NumericVector out(n, NA_REAL);
  for (R_xlen_t i = 0; i < n; ++i) {
    if (x[i] == NA_STRING) continue;
    const std::string s = text::trimmed(CHAR(x[i]));
    double value;
    if (!s.empty()) out[i] = text::read_decimal(s, value, marks) ? value : R_NaN;
  }
  return out;
}

// ISO days written as text, in days since 1970-01-01: NA for what cannot be read.
// [[Rcpp::export]]
Rcpp::IntegerVector read_iso_days_kernel(Rcpp::CharacterVector x) {
  const R_xlen_t n = x.size();
  Rcpp::IntegerVector out(n, NA_INTEGER);
  for (R_xlen_t i = 0; i < n; ++i) {
    if (x[i] == NA_STRING) continue;
    int day;
    if (text::read_iso_day(text::trimmed(CHAR(x[i])), day)) out[i] = day;
  }
  return out;
}
