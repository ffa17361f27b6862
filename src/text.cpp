#include <Rcpp.h>

#include <cmath>
#include <cstdint>
#include <cstdio>
#include <cstring>
#include <string>

#include "text.h"

// Decimals written as text: NA for blank text, NaN for what is not a number. `group` is "" where digits are not
// grouped.
// [[Rcpp::export(rng = false)]]
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
// [[Rcpp::export(rng = false)]]
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

// Numbers with this many decimals as text; NA for NA.
// [[Rcpp::export(rng = false)]]
Rcpp::CharacterVector fixed_text_kernel(Rcpp::NumericVector x, int decimals) {
  Rcpp::CharacterVector out(x.size(), NA_STRING);
  char text[text::kFixedMost];
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    if (std::isnan(x[i])) continue;
    SET_STRING_ELT(out, i, Rf_mkCharLen(text, static_cast<int>(text::write_fixed(text, x[i], decimals) - text)));
  }
  return out;
}

// Numbers as the shortest of 15 digits that read back as the same; NA where that takes more, or an exponent.
// [[Rcpp::export(rng = false)]]
Rcpp::CharacterVector short_number_kernel(Rcpp::NumericVector x) {
  const R_xlen_t n = x.size();
  Rcpp::CharacterVector out(n, NA_STRING);
  char text[40];
  for (R_xlen_t i = 0; i < n; ++i) {
    if (!std::isfinite(x[i])) continue;
    const int length = std::snprintf(text, sizeof text, "%.15g", x[i] + 0.0);
    if (std::memchr(text, 'e', length) != nullptr || std::strtod(text, nullptr) != x[i]) continue;
    SET_STRING_ELT(out, i, Rf_mkCharLen(text, length));
  }
  return out;
}
