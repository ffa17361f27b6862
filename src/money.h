// Money as whole minor units: of the smallest coin.
//
// R has no 64-bit integer. Units stay within 2^51, lines and totals alike, which a double carries exactly, so columns
// hold minor units in doubles; every sum is taken in int64_t and checked for overflow.
#pragma once
#include <cmath>
#include <cstdint>
#include <stdexcept>

namespace money {

// The largest amount, in minor units: up to 2^51, minor / 10^decimals, a double, can be read back exactly.
constexpr int64_t kLargest = int64_t{1} << 51;

enum class Rounding { half_up, half_even };

inline double power_of_ten(int exponent) {
  static constexpr double table[] = {1e0, 1e1, 1e2,  1e3,  1e4,  1e5,  1e6,  1e7,
                                     1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15};
  return table[exponent];
}

// The nearest whole number of a double below 2^51: at this distance from 0 doubles have no decimals.
inline double nearest_whole(double x) {
  constexpr double far = 6755399441055744.0;  // 1.5 * 2^52
  const double moved = x + far;
  return moved - far;
}

// Is this a whole number that an amount may be?
inline bool is_minor(double x) { return std::fabs(x) <= static_cast<double>(kLargest) && nearest_whole(x) == x; }

// Distance between neighbouring decimals of 15 significant digits at this magnitude.
inline double decimal_spacing(double magnitude) {
  int digits = 0;
  while (digits < 15 && magnitude >= power_of_ten(digits)) ++digits;
  return 1.0 / power_of_ten(15 - digits);
}

// Units of `value` with `decimals` decimals. The double is read as the decimal of 15 significant digits it represents,
// so 1.005 is a half although the double lies below it. NaN for what is not a number, Inf for what is too large.
inline double minor(double value, int decimals, Rounding rounding) {
  if (!std::isfinite(value)) return std::isnan(value) ? value : NAN;
  const double scaled = std::fabs(value) * power_of_ten(decimals);
  if (scaled > static_cast<double>(kLargest)) return INFINITY;
  // Far from a half the nearest whole number is right; up to here neighbouring decimals are nearer than that.
  if (scaled < 1e12) {
    const double nearest = nearest_whole(scaled);
    if (std::fabs(scaled - nearest) < 0.49) return value < 0 && nearest > 0 ? -nearest : nearest;
  }
  const double whole = std::floor(scaled);
  const double part = scaled - whole;
  double result;
  // Where neighbouring decimals are whole minor units apart there is no half left to recognise.
  const double spacing = decimal_spacing(scaled);
  if (std::fabs(part - 0.5) <= (spacing < 1 ? 0.5 * spacing : 0)) {
    const bool odd = std::fmod(whole, 2.0) == 1.0;
    result = (rounding == Rounding::half_up || odd) ? whole + 1 : whole;
  } else {
    result = part > 0.5 ? whole + 1 : whole;
  }
  return value < 0 && result > 0 ? -result : result;
}

// Does the value have no more than this many decimals, read to 15 significant digits?
inline bool has_decimals(double value, int decimals) {
  const double scaled = std::fabs(value) * power_of_ten(decimals);
  return std::fabs(scaled - std::nearbyint(scaled)) <= 0.5 * decimal_spacing(scaled);
}

inline int64_t add(int64_t a, int64_t b) {
  int64_t sum;
  if (__builtin_add_overflow(a, b, &sum)) throw std::overflow_error("sum of minor units");
  return sum;
}

// A total on its way back to R.
inline double publish(int64_t total) {
  if (total > kLargest || total < -kLargest) throw std::overflow_error("total");
  return static_cast<double>(total);
}

}  // namespace money
