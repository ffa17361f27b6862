// What the values of a column look like, all of them: so that a reader need not guess their type from a few.
#pragma once
#include <algorithm>
#include <climits>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <cstring>

#if defined(__SSE2__)
#include <emmintrin.h>
#endif

#include "calendar.h"

namespace profile {

inline bool is_digit(char c) { return c >= '0' && c <= '9'; }

// Which of the next bytes are digits, and which are 0, a bit for each.
struct Seen {
  std::uint32_t digits, zeros;
};
constexpr std::size_t kWidest = 16;

inline Seen look(const char* at) {
#if defined(__SSE2__)
  const __m128i bytes = _mm_loadu_si128(reinterpret_cast<const __m128i*>(at));
  const __m128i values = _mm_sub_epi8(bytes, _mm_set1_epi8('0'));
  const __m128i digit = _mm_cmpeq_epi8(_mm_min_epu8(values, _mm_set1_epi8(9)), values);
  const __m128i zero = _mm_cmpeq_epi8(values, _mm_setzero_si128());
  return {static_cast<std::uint32_t>(_mm_movemask_epi8(digit)), static_cast<std::uint32_t>(_mm_movemask_epi8(zero))};
#else
  Seen out{0, 0};
  for (std::size_t i = 0; i < kWidest; ++i) {
    out.digits |= static_cast<std::uint32_t>(is_digit(at[i])) << i;
    out.zeros |= static_cast<std::uint32_t>(at[i] == '0') << i;
  }
  return out;
#endif
}

// Days since 1970-01-01 of YYYY-MM-DD; kNoDay for what is not a day of the calendar.
constexpr int kNoDay = INT_MIN;

inline int day_at(const char* s, std::size_t n) {
  constexpr std::uint32_t kDigits = 0x36f;  // all of ten but the fifth and the eighth
  if (n != 10 || (look(s).digits & 0x3ff) != kDigits || s[4] != '-' || s[7] != '-') return kNoDay;
  const int month = (s[5] - '0') * 10 + s[6] - '0', day = (s[8] - '0') * 10 + s[9] - '0';
  if (month < 1 || month > 12 || day < 1 || day > 31) return kNoDay;
  const int year = (s[0] - '0') * 1000 + (s[1] - '0') * 100 + (s[2] - '0') * 10 + s[3] - '0';
  if (day > 28 && day > calendar::days_in_month(year, month)) return kNoDay;
  return calendar::days_from_civil(year, month, day);
}

// A plain decimal: a sign for what is below 0, digits without a leading zero, a mark, digits; at most 15 of them, so
// that it is exact as a whole number and a power of ten.
struct Decimal {
  bool plain = false, negative = false;
  std::size_t whole = 0, fraction = 0;  // digits before and behind the mark
  std::size_t zeros = 0;                // the last ones of the fraction
};

inline Decimal decimal_at(const char* at, const char* to, char mark) {
  Decimal out;
  out.negative = *at == '-';
  if (out.negative) ++at;
  const std::size_t n = static_cast<std::size_t>(to - at);
  if (n == 0 || n > kWidest) return out;
  const Seen seen = look(at);
  const std::uint32_t all = (1u << n) - 1, others = all & ~seen.digits;
  out.whole = n;
  if (others != 0) {
    out.whole = static_cast<std::size_t>(__builtin_ctz(others));
    if (others != 1u << out.whole || at[out.whole] != mark || out.whole == 0 || out.whole + 1 == n) return out;
    out.fraction = n - out.whole - 1;
  }
  if (out.whole + out.fraction > 15 || (out.whole > 1 && *at == '0')) return out;
  const std::uint32_t telling = all & ~seen.zeros & ~(others != 0 ? 1u << out.whole : 0);
  if (telling == 0 && out.negative) return out;
  const std::size_t last = telling == 0 ? 0 : static_cast<std::size_t>(32 - __builtin_clz(telling));
  out.zeros = std::min(out.fraction, n - last);
  out.plain = true;
  return out;
}

// Digits as a number, at most 15 of them.
inline std::uint64_t digits_at(const char* at, std::size_t n) {
#if defined(__BYTE_ORDER__) && __BYTE_ORDER__ == __ORDER_LITTLE_ENDIAN__
  // Eight at once: neighbours are put together to two, four and eight digits.
  const auto eight = [](const char* from, std::size_t count) -> std::uint64_t {
    if (count == 0) return 0;
    std::uint64_t word;
    std::memcpy(&word, from, 8);
    word = (word - 0x3030303030303030u) << (64 - 8 * count);
    word = word * 10 + (word >> 8);
    return ((word & 0x000000ff000000ffu) * 0x000f424000000064u +
            (word >> 16 & 0x000000ff000000ffu) * 0x0000271000000001u) >> 32;
  };
  if (n <= 8) return eight(at, n);
  return eight(at, n - 8) * 100000000 + eight(at + n - 8, 8);
#else
  std::uint64_t out = 0;
  for (std::size_t k = 0; k < n; ++k) out = out * 10 + static_cast<std::uint64_t>(at[k] - '0');
  return out;
#endif
}

// The double nearest to a plain decimal, NaN for any other text. Both numbers of the quotient are exact, so it is
// rounded once.
inline double number_at(const char* at, const Decimal& form) {
  constexpr double kPowers[] = {1e0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15};
  if (!form.plain) return std::nan("");
  if (form.negative) ++at;
  double out = static_cast<double>(digits_at(at, form.whole));
  if (form.fraction > 0) {
    const double scale = kPowers[form.fraction];
    out = (out * scale + static_cast<double>(digits_at(at + form.whole + 1, form.fraction))) / scale;
  }
  return form.negative ? -out : out;
}

// kBehind bytes (see records.h) may be read behind a value.
class Column {
 public:
  void see(const char* from, const char* to, char decimal) {
    if (words_ || from == to) return;
    any_ = true;
    if (day_) day_ = day_at(from, static_cast<std::size_t>(to - from)) != kNoDay;
    if (number_) note(decimal_at(from, to, decimal));
    if (!day_ && !number_) words_ = std::any_of(from, to, is_wordy);
  }
  // The same for a value that is a day, and for one that is a plain decimal.
  void see_day() { any_ = true, number_ = false; }
  void see_decimal(const Decimal& form) {
    any_ = true, day_ = false;
    if (number_) note(form);
  }
  void add(const Column& other) {
    any_ = any_ || other.any_;
    day_ = day_ && other.day_;
    number_ = number_ && other.number_;
    words_ = words_ || other.words_;
    lengths_ |= other.lengths_;
    shorter_ |= other.shorter_;
  }
  // Nothing is asked of this column, or nothing is left to ask.
  void skip() { words_ = true; }
  bool settled() const { return words_; }
  // Is there a value at all; is one of them no number, time or logical, however it is read; is every one an ISO day; is
  // every one a decimal of at most 15 digits that has no other reading.
  bool given() const { return any_; }
  bool words() const { return words_; }
  bool days() const { return day_ && !words_; }
  bool numbers() const { return number_ && !words_; }
  // As bits: the numbers of decimals that occur, and the fewer ones that values ending in 0 could be written with. If
  // they share no bit, no two texts are the same number.
  std::uint32_t lengths() const { return numbers() ? lengths_ : 0; }
  std::uint32_t shorter() const { return numbers() ? shorter_ : 0; }
  // The most decimals of its numbers; -1 if they are none.
  int decimals() const { return lengths() == 0 ? -1 : 31 - __builtin_clz(lengths()); }

 private:
  // None of the characters of numbers, dates, times, TRUE, FALSE and NA.
  static bool is_wordy(char c) { return std::strchr("0123456789+-.,: \t\r\nTtZzEeRrUuFfAaLlSsNn", c) == nullptr; }

  void note(const Decimal& form) {
    number_ = form.plain;
    if (!number_) return;
    lengths_ |= 1u << form.fraction;
    // The lengths that the same number could be written with.
    shorter_ |= ((1u << form.fraction) - 1) & ~((1u << (form.fraction - form.zeros)) - 1);
  }

  bool any_ = false, day_ = true, number_ = true, words_ = false;
  std::uint32_t lengths_ = 0, shorter_ = 0;
};

}  // namespace profile
