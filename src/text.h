// Strict reading of the text that data files hold: decimals and ISO days.
#pragma once
#include <cctype>
#include <cstdlib>
#include <string>

#include "calendar.h"

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

// Sign, digits, one point, digits, exponent; nothing else. R runs with the C numeric locale.
inline bool read_decimal(const std::string& s, double& value) {
  std::size_t i = 0, digits = 0;
  if (i < s.size() && (s[i] == '-' || s[i] == '+')) ++i;
  while (i < s.size() && is_digit(s[i])) ++i, ++digits;
  if (i < s.size() && s[i] == '.') {
    ++i;
    while (i < s.size() && is_digit(s[i])) ++i, ++digits;
  }
  if (digits == 0) return false;
  if (i < s.size() && (s[i] == 'e' || s[i] == 'E')) {
    ++i;
    if (i < s.size() && (s[i] == '-' || s[i] == '+')) ++i;
    if (i == s.size()) return false;
    while (i < s.size() && is_digit(s[i])) ++i;
  }
  if (i != s.size()) return false;
  value = std::strtod(s.c_str(), nullptr);
  return true;
}

// YYYY-MM-DD, alone or followed by a time ("T" or a space); days since 1970-01-01.
inline bool read_iso_day(const std::string& s, int& day) {
  if (s.size() < 10 || s[4] != '-' || s[7] != '-') return false;
  if (s.size() > 10 && s[10] != 'T' && s[10] != ' ') return false;
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

}  // namespace text
