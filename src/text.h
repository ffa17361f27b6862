// Strict reading of the text that data files hold, decimals and ISO days, and writing of decimals.
#pragma once
#include <algorithm>
#include <cctype>
#include <cmath>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <string>

#include "calendar.h"
#include "money.h"

namespace text {

inline bool is_space(char c) { return std::isspace(static_cast<unsigned char>(c)) != 0; }
inline bool is_digit(char c) { return c >= '0' && c <= '9'; }

inline std::string trimmed(const char* s) {
  std::string out(s);
  while (!out.empty() && is_space(out.back())) out.pop_back();
  std::size_t start = 0;
  while (start < out.size() && is_space(out[start])) ++start;
  return out.substr(start);
}

// How numbers are written: the decimal mark, and the mark between groups of three digits (0 for none).
struct Marks {
  char decimal = '.';
  char group = 0;
};

// Is a whole number written like this, but for zeros before it and its sign?
inline bool is_written(double value, const std::string& digits) {
  char exact[400];
  std::snprintf(exact, sizeof exact, "%.0f", std::fabs(value));
  const std::size_t first = digits.find_first_of("123456789");
  return digits.compare(first, std::string::npos, exact) == 0;
}

// Sign, digits, one decimal mark, digits, exponent; nothing else. A grouping mark counts only where it groups by three.
// R runs with the C numeric locale.
inline bool read_decimal(const std::string& s, double& value, Marks marks = {}) {
  std::string plain;
  std::size_t i = 0, digits = 0, whole = 0;
  if (i < s.size() && (s[i] == '-' || s[i] == '+')) plain += s[i++];
  const std::size_t start = i;
  while (i < s.size() && is_digit(s[i])) plain += s[i++], ++digits;
  if (marks.group != 0 && i < s.size() && s[i] == marks.group) {
    if (digits == 0 || digits > 3 || s[start] == '0') return false;
    while (i < s.size() && s[i] == marks.group) {
      for (int k = 1; k <= 3; ++k) {
        if (i + k >= s.size() || !is_digit(s[i + k])) return false;
        plain += s[i + k];
      }
      i += 4;
    }
  }
  if (i == s.size()) whole = plain.size();
  if (i < s.size() && s[i] == marks.decimal) {
    plain += '.';
    ++i;
    while (i < s.size() && is_digit(s[i])) plain += s[i++], ++digits;
  }
  if (digits == 0) return false;
  if (i < s.size() && (s[i] == 'e' || s[i] == 'E')) {
    plain += s[i++];
    if (i < s.size() && (s[i] == '-' || s[i] == '+')) plain += s[i++];
    if (i == s.size()) return false;
    while (i < s.size() && is_digit(s[i])) plain += s[i++];
  }
  if (i != s.size()) return false;
  value = std::strtod(plain.c_str(), nullptr);
  // What a double cannot hold is not read as something near it: too large, too small, or a whole number between two.
  if (std::isinf(value)) return false;
  if (std::fabs(value) < 1e-300) return plain.find_first_of("123456789") >= plain.find_first_of("eE") || value != 0;
  return whole == 0 || std::fabs(value) < 9007199254740992.0 || is_written(value, plain);
}

// Is this a time of a day: hours and minutes, perhaps seconds with a fraction, perhaps an offset or AM and PM? 24:00 is
// no time of the day that is written with it.
inline bool is_time(const char* at) {
  const auto two = [&](int most) {
    if (!is_digit(at[0]) || !is_digit(at[1]) || (at[0] - '0') * 10 + at[1] - '0' > most) return false;
    at += 2;
    return true;
  };
  if (is_digit(at[0]) && at[1] == ':') {
    ++at;
  } else if (!two(23)) {
    return false;
  }
  if (*at++ != ':' || !two(59)) return false;
  if (*at == ':') {
    ++at;
    if (!two(60)) return false;
    if ((*at == '.' || *at == ',') && is_digit(at[1])) {
      for (++at; is_digit(*at);) ++at;
    }
  }
  while (*at == ' ') ++at;
  if (*at == '+' || *at == '-') {
    ++at;
    if (!two(23)) return false;
    if (*at == ':') ++at;
    return *at == 0 || (two(59) && *at == 0);
  }
  for (const char* word : {"", "Z", "UTC", "GMT", "AM", "PM", "am", "pm"}) {
    if (std::strcmp(at, word) == 0) return true;
  }
  return false;
}

// YYYY-MM-DD, alone or followed by a time ("T" or a space); days since 1970-01-01.
inline bool read_iso_day(const std::string& s, int& day) {
  if (s.size() < 10 || s[4] != '-' || s[7] != '-') return false;
  if (s.size() > 10 && ((s[10] != 'T' && s[10] != ' ') || !is_time(s.c_str() + 11))) return false;
  for (int i : {0, 1, 2, 3, 5, 6, 8, 9}) {
    if (!is_digit(s[i])) return false;
  }
  const int year = std::atoi(s.substr(0, 4).c_str());
  const int month = std::atoi(s.substr(5, 2).c_str());
  const int in_month = std::atoi(s.substr(8, 2).c_str());
  if (month < 1 || month > 12 || in_month < 1) return false;
  if (in_month > calendar::days_in_month(year, month)) return false;
  day = calendar::days_from_civil(year, month, in_month);
  return true;
}

// The most bytes that write_fixed() writes.
constexpr std::size_t kFixedMost = 400;

// Writes minor units, a whole number below 2^53 after rounding, with this many decimals. Returns the end.
inline char* write_minor(char* to, double minor, int decimals) {
  const double size = std::fabs(minor);
  std::uint64_t rest = static_cast<std::uint64_t>(size);
  if (size - static_cast<double>(rest) >= 0.5) ++rest;
  if (minor < 0 && rest > 0) *to++ = '-';
  char digits[24];
  char* const end = digits + sizeof digits;
  char* at = end;
  for (int k = 0; k < decimals || rest > 0 || k == decimals; ++k) {
    if (k == decimals && k > 0) *--at = '.';
    *--at = static_cast<char>('0' + rest % 10);
    rest /= 10;
  }
  return std::copy(at, end, to);
}

// Writes a number with this many decimals: whole minor units digit by digit, others as C writes them. Returns the end.
inline char* write_fixed(char* to, double value, int decimals) {
  const double scaled = decimals <= 15 ? value * money::power_of_ten(decimals) : INFINITY;
  if (std::fabs(scaled) < 9007199254740992.0) return write_minor(to, scaled, decimals);
  if (std::isinf(value)) return std::strcpy(to, value > 0 ? "Inf" : "-Inf") + (value > 0 ? 3 : 4);
  return to + std::snprintf(to, kFixedMost, "%.*f", decimals, value);
}

}  // namespace text
