#include <Rcpp.h>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstdio>
#include <cstring>
#include <vector>

#include "keys.h"
#include "text.h"

namespace {

SEXP fixed_string(std::int64_t minor, int decimals) {
  char text[40];
  char* const end = text + sizeof text;
  char* at = end;
  std::uint64_t rest = static_cast<std::uint64_t>(minor < 0 ? -minor : minor);
  for (int k = 0; k < decimals || rest > 0 || k == decimals; ++k) {
    if (k == decimals && k > 0) *--at = '.';
    *--at = static_cast<char>('0' + rest % 10);
    rest /= 10;
  }
  if (minor < 0) *--at = '-';
  return Rf_mkCharLen(at, static_cast<int>(end - at));
}

}  // namespace

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

// Numbers with so many decimals as text, for numbers that have no more: digits of a whole number, and a point among
// them. NA stays NA, and what is too large for that.
// [[Rcpp::export]]
Rcpp::CharacterVector fixed_text_kernel(Rcpp::NumericVector x, int decimals) {
  const R_xlen_t n = x.size();
  const double* from = REAL(x);
  Rcpp::CharacterVector out(n);
  const double scale = std::pow(10.0, decimals);
  // Amounts come again, and each becomes text once. What is looked up lies far apart: it is asked for ahead.
  tally::Slots amounts;
  std::vector<SEXP> texts;
  constexpr R_xlen_t kAhead = 256;
  constexpr std::uint64_t kNot = std::uint64_t{1} << 63;
  std::uint64_t number[kAhead];
  SEXP text[kAhead];
  for (R_xlen_t first = 0; first < n; first += kAhead) {
    const R_xlen_t held = std::min(kAhead, n - first);
    for (R_xlen_t i = 0; i < held; ++i) {
      const double value = from[first + i] * scale;
      number[i] = std::fabs(value) < 9007199254740992.0 ? static_cast<std::uint64_t>(std::llround(value)) : kNot;
      amounts.fetch(number[i]);
    }
    for (R_xlen_t i = 0; i < held; ++i) {
      const std::size_t slot = number[i] == kNot ? texts.size() : amounts.find(number[i]);
      if (number[i] == kNot) {
        text[i] = NA_STRING;
      } else if (slot == texts.size()) {
        text[i] = fixed_string(static_cast<std::int64_t>(number[i]), decimals);
        // Kept alive where it stands.
        SET_STRING_ELT(out, first + i, text[i]);
        texts.push_back(text[i]);
      } else {
        text[i] = texts[slot];
      }
      __builtin_prefetch(text[i]);
    }
    for (R_xlen_t i = 0; i < held; ++i) SET_STRING_ELT(out, first + i, text[i]);
  }
  return out;
}

// Numbers as the shortest of 15 digits that read back as the same; NA where that takes more, or an exponent.
// [[Rcpp::export]]
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
