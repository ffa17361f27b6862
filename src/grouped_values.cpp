// What takes all values of a group together: how many there are that differ, and the middle one. The lines are put in
// order of their group by counting, and each group is gone through once.
#include <Rcpp.h>

#include <algorithm>
#include <cmath>
#include <stdexcept>
#include <vector>

#include "checks.h"
#include "memory.h"
#include "threads.h"

namespace grouped {

constexpr uint32_t kNone = UINT32_MAX;

// The groups of lines, which are the codes of a key, and which lines count.
struct Lines {
  std::size_t n;
  tally::Key key;
  uint32_t groups;
  const int* mask;  // R logical; null for every line

  // The place of a line's group, or none. A code that has no label is an error.
  uint32_t place(std::size_t i) const {
    if (mask != nullptr && mask[i] != 1) return kNone;
    const int code = key.codes == nullptr ? 1 : key.lookup == nullptr ? key.codes[i] : looked_up(key.codes[i]);
    const uint32_t at = static_cast<uint32_t>(code) - 1;
    if (at < groups) return at;
    if (code != 0 && code != NA_INTEGER) throw std::out_of_range("a code without a label");
    return kNone;
  }

 private:
  int looked_up(int day) const {
    const uint32_t at = static_cast<uint32_t>(day) - static_cast<uint32_t>(key.first);
    return at < static_cast<uint32_t>(key.days) ? key.lookup[at] : 0;
  }
};

inline Lines lines_of(const Rcpp::List& group, std::size_t n, SEXP mask) {
  if (!Rf_isNull(mask) && (TYPEOF(mask) != LGLSXP || static_cast<std::size_t>(Rf_xlength(mask)) != n)) {
    Rcpp::stop("a mask for each line");
  }
  const tally::Key key = border::key(group, n);
  return {n, key, static_cast<uint32_t>(key.size), Rf_isNull(mask) ? nullptr : LOGICAL_RO(mask)};
}

// The values that count, group by group; `start` has where each group begins, and the end.
template <typename T>
struct Values {
  std::vector<std::size_t> start;
  pages::Zeros<T> value;
};

// `held(i)` tells whether line i has a value, which is value(i).
template <typename T, typename Value, typename Held>
Values<T> put_together(const Lines& lines, Value value, int wanted, Held held) {
  const std::size_t n = lines.n, groups = lines.groups;
  // Every thread has a count of each group: with very many groups that is more than the lines.
  const int count = groups > n / 4 ? 1 : threads::useful(n, wanted);
  Values<T> out{{}, pages::Zeros<T>(n)};
  T* const to = out.value.get();
  out.start = threads::deal(
    groups, n, count,
    [&](std::size_t from, std::size_t end, int, const threads::Failure&, auto work) {
      for (std::size_t i = from; i < end; ++i) {
        const uint32_t group = lines.place(i);
        if (group != kNone && held(i)) work(group, i);
      }
    },
    [=](std::size_t at, std::size_t i) { to[at] = value(i); }
  );
  return out;
}

// work(thread, group) for each group, shared out by lines.
template <typename Work>
void each_group(const std::vector<std::size_t>& start, int wanted, Work work) {
  const std::size_t lines = start.back();
  const int count = threads::useful(lines, wanted);
  threads::each(count, [&](int t) {
    auto first = [&](int part) {
      return std::lower_bound(start.begin(), start.end() - 1, lines * part / count) - start.begin();
    };
    const std::size_t end = t + 1 == count ? start.size() - 1 : static_cast<std::size_t>(first(t + 1));
    for (std::size_t g = static_cast<std::size_t>(first(t)); g < end; ++g) work(t, g);
  });
}

// A bit for each value of each group, set by every thread in bits of its own; how many there are of each group.
template <typename Value>
void count_marks(const Lines& lines, Value value, std::size_t size, int wanted, double* number) {
  const std::size_t words = size / 64 + 1, groups = lines.groups, n = lines.n;
  const int count = threads::useful(n, wanted);
  std::vector<pages::Zeros<uint64_t>> marks;
  for (int t = 0; t < count; ++t) marks.emplace_back(groups * words);
  threads::pieces(n, threads::kLeast, count, [&](std::size_t from, std::size_t to, int t) {
    uint64_t* mine = marks[t].get();
    for (std::size_t i = from; i < to; ++i) {
      const uint32_t at = lines.place(i), one = value(i);
      if (at != kNone && one < size) mine[at * words + (one >> 6)] |= uint64_t{1} << (one & 63);
    }
  });
  for (std::size_t g = 0; g < groups; ++g) {
    std::size_t found = 0;
    for (std::size_t w = g * words; w < (g + 1) * words; ++w) {
      uint64_t all = 0;
      for (const auto& of_thread : marks) all |= of_thread.get()[w];
      found += static_cast<std::size_t>(__builtin_popcountll(all));
    }
    number[g] = static_cast<double>(found);
  }
}

// How many different values there are of some, each below UINT32_MAX, by hashing into room that is used again.
inline std::size_t count_different(const uint32_t* value, std::size_t n, std::vector<uint32_t>& room) {
  int bits = 4;
  while ((std::size_t{1} << bits) < 2 * n) ++bits;
  const std::size_t width = std::size_t{1} << bits;
  room.assign(width, UINT32_MAX);
  std::size_t found = 0;
  for (std::size_t i = 0; i < n; ++i) {
    const uint32_t one = value[i];
    std::size_t at = (one * 0x9E3779B1u) >> (32 - bits);
    while (room[at] != one && room[at] != UINT32_MAX) at = (at + 1) & (width - 1);
    found += room[at] != one;
    room[at] = one;
  }
  return found;
}

// The sum of the two middle values, which of an odd number are one: of doubles, or of few.
template <typename T>
double middle_by_order(T* from, T* to) {
  T* middle = from + (to - from - 1) / 2;
  std::nth_element(from, middle, to);
  const double lower = static_cast<double>(*middle);
  return lower + ((to - from) % 2 == 1 ? lower : static_cast<double>(*std::min_element(middle + 1, to)));
}

// The same of many integers: they are counted by their leading digits, and only those near the middle are put in order.
inline double middle_by_counting(const int* from, const int* to, std::vector<uint32_t>& counts,
                                 std::vector<int>& near) {
  const std::size_t n = static_cast<std::size_t>(to - from), low = (n - 1) / 2, high = n / 2;
  const auto ends = std::minmax_element(from, to);
  const uint32_t least = static_cast<uint32_t>(*ends.first), width = static_cast<uint32_t>(*ends.second) - least;
  uint32_t bins = 64;
  while (bins < 4096 && bins < n / 2) bins *= 2;
  int shift = 0;
  while ((width >> shift) >= bins) ++shift;
  const auto digit = [=](int value) { return (static_cast<uint32_t>(value) - least) >> shift; };
  counts.assign(bins, 0);
  for (const int* at = from; at < to; ++at) ++counts[digit(*at)];
  uint32_t first = 0;
  std::size_t before = 0;
  while (before + counts[first] <= low) before += counts[first++];
  uint32_t last = first;
  std::size_t behind = before + counts[first];
  while (behind <= high) behind += counts[++last];
  // Each is written, and stays if it is one of them.
  near.resize(behind - before + 1);
  std::size_t found = 0;
  for (const int* at = from; at < to; ++at) {
    near[found] = *at;
    found += digit(*at) - first <= last - first;
  }
  const auto middle = near.begin() + static_cast<std::ptrdiff_t>(low - before), end = near.end() - 1;
  std::nth_element(near.begin(), middle, end);
  return static_cast<double>(*middle) + (high == low ? *middle : *std::min_element(middle + 1, end));
}

struct Room {
  std::vector<uint32_t> counts;
  std::vector<int> near;
};

inline double middle_sum(double* from, double* to, Room&) { return middle_by_order(from, to); }
inline double middle_sum(int* from, int* to, Room& room) {
  return to - from < 256 ? middle_by_order(from, to) : middle_by_counting(from, to, room.counts, room.near);
}

template <typename T, typename Held>
void middles(const Lines& lines, const T* value, int wanted, Held held, double* sum) {
  const Values<T> values = put_together<T>(lines, [=](std::size_t i) { return value[i]; }, wanted, held);
  const double none = NA_REAL;
  std::vector<Room> room(std::max(wanted, 1));
  each_group(values.start, wanted, [&](int t, std::size_t g) {
    T *from = values.value.get() + values.start[g], *to = values.value.get() + values.start[g + 1];
    sum[g] = from == to ? none : middle_sum(from, to, room[t]);
  });
}

}  // namespace grouped

// How many distinct codes, of `size` from `first` on, the lines of each group, the codes of a key, have where the mask
// allows.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector distinct_kernel(Rcpp::List group, Rcpp::IntegerVector codes, int first, int size, SEXP mask,
                                    int threads) {
  const grouped::Lines lines = grouped::lines_of(group, static_cast<std::size_t>(codes.size()), mask);
  if (size < 0) Rcpp::stop("fewer than no codes");
  const int* given = INTEGER_RO(codes);
  Rcpp::NumericVector out(static_cast<R_xlen_t>(lines.groups));
  double* number = REAL(out);
  // A missing code, and any outside of them, is none of them: it lies behind the last one.
  const uint32_t least = static_cast<uint32_t>(first), many = static_cast<uint32_t>(size);
  const auto value = [=](std::size_t i) { return static_cast<uint32_t>(given[i]) - least; };
  if (lines.groups * (static_cast<std::size_t>(size) / 64 + 1) <= std::max<std::size_t>(lines.n / 32, 1024)) {
    grouped::count_marks(lines, value, many, threads, number);
    return out;
  }
  const auto values = grouped::put_together<uint32_t>(lines, value, threads,
                                                      [=](std::size_t i) { return value(i) < many; });
  std::vector<std::vector<uint32_t>> room(std::max(threads, 1));
  grouped::each_group(values.start, threads, [&](int t, std::size_t g) {
    number[g] = static_cast<double>(grouped::count_different(values.value.get() + values.start[g],
                                                             values.start[g + 1] - values.start[g], room[t]));
  });
  return out;
}

// The middle of the values of each group, the codes of a key, where the mask allows: the sum of the two middle ones,
// which of an odd number are one; missing for a group without a value.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector middle_kernel(Rcpp::List group, SEXP value, SEXP mask, int threads) {
  const grouped::Lines lines = grouped::lines_of(group, static_cast<std::size_t>(Rf_xlength(value)), mask);
  Rcpp::NumericVector out(static_cast<R_xlen_t>(lines.groups));
  if (TYPEOF(value) == INTSXP) {
    const int* whole = INTEGER_RO(value);
    grouped::middles(lines, whole, threads, [=](std::size_t i) { return whole[i] != NA_INTEGER; }, REAL(out));
  } else if (TYPEOF(value) == REALSXP) {
    const double* number = REAL_RO(value);
    grouped::middles(lines, number, threads, [=](std::size_t i) { return std::isfinite(number[i]); }, REAL(out));
  } else {
    Rcpp::stop("values are numbers");
  }
  return out;
}
