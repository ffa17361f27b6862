#include <Rcpp.h>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstdio>
#include <cstring>
#include <vector>

#include "keys.h"
#include "memory.h"
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

// Numbers with this many decimals as text, for numbers that have no more: the texts that there are, and which of them
// represents each number; NA for NA, and for what is too large for that.
// [[Rcpp::export(rng = false)]]
Rcpp::List fixed_codes_kernel(Rcpp::NumericVector x, int decimals) {
  const std::size_t n = x.size();
  const double* from = REAL(x);
  const double scale = std::pow(10.0, decimals);
  const Rcpp::Shield<SEXP> codes(pages::vector(INTSXP, n));
  int* const code = INTEGER(codes);
  // Amounts come again, and each becomes text once. What is looked up lies far apart: it is asked for ahead.
  tally::Slots amounts;
  constexpr std::size_t kAhead = 64;
  constexpr std::uint64_t kNot = std::uint64_t{1} << 63;
  std::uint64_t number[kAhead];
  for (std::size_t first = 0; first < n; first += kAhead) {
    const std::size_t held = std::min(kAhead, n - first);
    for (std::size_t i = 0; i < held; ++i) {
      const double value = from[first + i] * scale;
      number[i] = std::fabs(value) < 9007199254740992.0 ? static_cast<std::uint64_t>(std::llround(value)) : kNot;
      amounts.fetch(number[i]);
    }
    for (std::size_t i = 0; i < held; ++i) {
      code[first + i] = number[i] == kNot ? NA_INTEGER : static_cast<int>(amounts.find(number[i])) + 1;
    }
  }
  Rcpp::CharacterVector labels(amounts.size());
  for (std::size_t k = 0; k < amounts.size(); ++k) {
    SET_STRING_ELT(labels, k, fixed_string(static_cast<std::int64_t>(amounts.number(k)), decimals));
  }
  return Rcpp::List::create(Rcpp::_["codes"] = codes, Rcpp::_["labels"] = labels);
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
