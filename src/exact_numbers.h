// Numbers of a few decimals, held as whole numbers of their last decimal: minor units that look like doubles.
#pragma once
#include <cmath>
#include <climits>
#include <cstddef>

#include <Rinternals.h>

#include "money.h"

namespace exact_numbers {

// The whole number that a number is at this scale, a power of ten; INT_MIN for a missing one. `bad` turns true where
// there is none, so that whole / scale is not the number.
inline int whole_of(double number, double scale, bool& bad) {
  const double whole = money::nearest_whole(number * scale);
  const bool missing = std::isnan(number);
  const bool fits = std::fabs(whole) < 2147483647.0 && whole / scale == number;
  bad |= !fits && !missing;
  return fits ? static_cast<int>(whole) : INT_MIN;
}

inline double number_of(int whole, double scale, double missing) { return whole == INT_MIN ? missing : whole / scale; }
inline double number_of(double whole, double scale, double) { return whole / scale; }

// Doubles that are laid out when somebody needs them one behind another. The whole numbers are integers, or doubles up
// to 2^51, missing ones among them; nobody may change them.
SEXP numbers(SEXP wholes, double scale);

// The whole numbers; NULL if there are none. Those of dates are dates.
SEXP wholes(SEXP numbers);
// The same of plain numbers at this scale.
SEXP wholes(SEXP numbers, double scale);
// Of numbers that have whole numbers.
double scale_of(SEXP numbers);

}  // namespace exact_numbers
