// Decimal numbers that are held as whole numbers and a power of ten; R sees doubles.
#pragma once
#include <cmath>
#include <climits>
#include <cstddef>

#include <Rinternals.h>

#include "money.h"

namespace exact_numbers {

// The whole number with whole / scale == number, where `scale` is a power of ten; INT_MIN for a missing number. Sets
// `bad` if there is no such integer.
inline int whole_of(double number, double scale, bool& bad) {
  const double whole = money::nearest_whole(number * scale);
  const bool missing = std::isnan(number);
  const bool fits = std::fabs(whole) < 2147483647.0 && whole / scale == number;
  bad |= !fits && !missing;
  return fits ? static_cast<int>(whole) : INT_MIN;
}

inline double number_of(int whole, double scale, double missing) { return whole == INT_MIN ? missing : whole / scale; }
inline double number_of(double whole, double scale, double) { return whole / scale; }

// A vector of doubles, which are computed when somebody needs them in memory. `wholes` are integers or doubles up to
// 2^51, some of them perhaps missing; nobody may change them.
SEXP numbers(SEXP wholes, double scale);

// The whole numbers, of class Date if the numbers are dates; NULL if there are none.
SEXP wholes(SEXP numbers);
// The same if the numbers are not dates and have this scale; otherwise NULL.
SEXP wholes(SEXP numbers, double scale);
// The scale of numbers that have whole numbers.
double scale_of(SEXP numbers);

}  // namespace exact_numbers
