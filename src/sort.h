// Orders rows inside scopes from the highest value (or the lowest), ties by name.
#pragma once
#include <algorithm>
#include <atomic>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <numeric>
#include <vector>

#include "memory.h"
#include "threads.h"

namespace order {

// What rows are ordered by inside their scope: the value, then the rank of the name that a code represents. Missing
// values and names come last, and the total of the others (code -1) after them.
struct By {
  const double* value = nullptr;  // null: names only
  bool highest_first = true;
  const int* code = nullptr;      // null: no names
  const int* rank = nullptr;      // by code from 1; null: codes are ranks
};

constexpr int kTotal = -1;
constexpr uint32_t kLast = UINT32_MAX;

inline uint32_t tie(const By& by, std::size_t i) {
  if (by.code == nullptr) return 0;
  const int code = by.code[i];
  if (code == kTotal) return kLast;
  if (code <= 0) return kLast - 1;
  return static_cast<uint32_t>(by.rank == nullptr ? code : by.rank[code - 1]);
}

// A double as an integer in the same order, -0 like 0, NaN last.
inline uint64_t key(double x, bool highest_first) {
  if (std::isnan(x)) return UINT64_MAX;
  x += 0.0;
  uint64_t bits;
  std::memcpy(&bits, &x, sizeof bits);
  bits = bits >> 63 ? ~bits : bits | (uint64_t{1} << 63);
  return highest_first ? ~bits : bits;
}

struct Row {
  uint64_t value;
  uint32_t tie;
  int row;
};

inline bool before(const Row& a, const Row& b) { return a.value != b.value ? a.value < b.value : a.tie < b.tie; }

// The lowest of the bits that differ, how many there are up to the highest, and in how many digits of which width.
struct Digits {
  int from = 0, width = 0, count = 0;
  Digits(uint64_t differ, int widest) {
    if (differ == 0) return;
    from = __builtin_ctzll(differ);
    const int bits = 64 - __builtin_clzll(differ) - from;
    count = (bits + widest - 1) / widest;
    width = (bits + count - 1) / count;
  }
};

// Sorts by digits from the last to the first, only of bits that differ. Stable.
inline void by_digits(Row* rows, std::size_t n, std::vector<Row>& spare) {
  uint64_t differ_value = 0, differ_tie = 0;
  bool in_order = true;  // of names, as rows mostly come
  for (std::size_t i = 1; i < n; ++i) {
    differ_value |= rows[i].value ^ rows[0].value;
    differ_tie |= rows[i].tie ^ rows[0].tie;
    in_order &= rows[i - 1].tie <= rows[i].tie;
  }
  if (in_order) differ_tie = 0;
  if (spare.size() < n) spare.resize(n);
  Row* from = rows;
  Row* to = spare.data();
  // With few rows, narrower digits are faster: there is less to count.
  const int widest = n < 1024 ? 8 : 11;
  auto sort = [&](const Digits& digits, auto number) {
    const uint64_t mask = (uint64_t{1} << digits.width) - 1;
    for (int d = 0; d < digits.count; ++d) {
      const int shift = digits.from + d * digits.width;
      std::size_t start[2049] = {0};
      for (std::size_t i = 0; i < n; ++i) ++start[(number(from[i]) >> shift & mask) + 1];
      for (uint64_t k = 0; k < mask; ++k) start[k + 1] += start[k];
      for (std::size_t i = 0; i < n; ++i) to[start[number(from[i]) >> shift & mask]++] = from[i];
      std::swap(from, to);
    }
  };
  sort(Digits(differ_tie, widest), [](const Row& r) { return uint64_t{r.tie}; });
  sort(Digits(differ_value, widest), [](const Row& r) { return r.value; });
  if (from != rows) std::copy(from, from + n, rows);
}

// Sorts a few rows by moving each to its place: nothing is asked of memory. Stable.
inline void by_moving(Row* rows, std::size_t n) {
  for (std::size_t i = 1; i < n; ++i) {
    const Row row = rows[i];
    std::size_t at = i;
    for (; at > 0 && before(row, rows[at - 1]); --at) rows[at] = rows[at - 1];
    rows[at] = row;
  }
}

// Sorts a part of the rows and puts down their numbers.
inline void sort_part(Row* rows, std::size_t n, std::vector<Row>& spare, int* out) {
  if (n > 64) by_digits(rows, n, spare);
  else by_moving(rows, n);
  for (std::size_t i = 0; i < n; ++i) out[i] = rows[i].row;
}

constexpr std::size_t kNear = std::size_t{1} << 15;  // rows that stay in the cache while they are sorted

// Row numbers (from 0) in order of `number`, a whole number for each row, then of names, then of rows. Rows are dealt
// out by the leading digits of their numbers into parts that stay in the cache, which threads share.
template <typename Number>
void in_order(std::size_t n, const By& by, int count, int* out, Number number) {
  std::vector<uint64_t> low(count, UINT64_MAX), high(count, 0);
  threads::each_range(n, count, [&](std::size_t from, std::size_t to, int t) {
    uint64_t least = UINT64_MAX, most = 0;
    for (std::size_t i = from; i < to; ++i) {
      least = std::min(least, number(i));
      most = std::max(most, number(i));
    }
    low[t] = least;
    high[t] = most;
  });
  const uint64_t least = *std::min_element(low.begin(), low.end());
  const uint64_t width = std::max(*std::max_element(high.begin(), high.end()), least) - least;
  const std::size_t parts = std::max<std::size_t>(2, std::min<std::size_t>(1024, n / 64));
  int shift = 0;
  while (width >> shift >= parts) ++shift;
  auto part = [&](uint64_t value) { return static_cast<std::size_t>((value - least) >> shift); };
  const pages::Zeros<Row> rows(n);
  Row* const row = rows.get();
  const By of = by;
  const std::vector<std::size_t> start = threads::deal(
    parts, n, count,
    [&](std::size_t from, std::size_t to, int, const threads::Failure&, auto work) {
      for (std::size_t i = from; i < to; ++i) {
        const uint64_t value = number(i);
        work(part(value), value, i);
      }
    },
    [=](std::size_t at, uint64_t value, std::size_t i) { row[at] = {value, tie(of, i), static_cast<int>(i)}; }
  );
  std::vector<std::vector<Row>> spare(count);
  threads::in_turn(static_cast<int>(parts), count, [&](int p, int t) {
    sort_part(row + start[p], start[p + 1] - start[p], spare[t], out + start[p]);
  });
}

// The same for rows that come scope by scope, as those of a tally do: each scope is sorted on its own. Returns false if
// the rows come in another order, or if a scope is too large for the cache.
template <typename Number>
bool in_runs(std::size_t n, const int* scope, const By& by, int count, int* out, Number number) {
  std::vector<std::size_t> start;
  for (std::size_t i = 0; i < n; ++i) {
    if (i > 0 && scope[i] < scope[i - 1]) return false;
    if (i > 0 && scope[i] == scope[i - 1]) continue;
    if (i > 0 && i - start.back() > kNear) return false;
    start.push_back(i);
  }
  const std::size_t runs = start.size();
  start.push_back(n);
  if (n - start[runs - 1] > kNear) return false;
  threads::pieces(runs, runs / 64 + 1, count, [&](std::size_t from, std::size_t to, int) {
    std::vector<Row> own, spare;
    for (std::size_t r = from; r < to; ++r) {
      own.clear();
      for (std::size_t i = start[r]; i < start[r + 1]; ++i) {
        own.push_back({number(i), tie(by, i), static_cast<int>(i)});
      }
      sort_part(own.data(), own.size(), spare, out + start[r]);
    }
  });
  return true;
}

// Values as whole numbers from 0 in the order that is wanted, those that are missing last.
struct Whole {
  const double* value;
  bool highest_first;
  int64_t low = 0, high = -1;
  bool good = true;  // all are whole numbers

  Whole(const By& by, std::size_t n, int count) : value(by.value), highest_first(by.highest_first) {
    if (value == nullptr) return;
    std::vector<double> least(count, INFINITY), most(count, -INFINITY);
    std::atomic<bool> whole{true};
    threads::each_range(n, count, [&](std::size_t from, std::size_t to, int t) {
      double first = INFINITY, last = -INFINITY;
      bool here = true;
      for (std::size_t i = from; i < to && here; ++i) {
        if (std::isnan(value[i])) continue;
        here = std::fabs(value[i]) < 4503599627370496.0 &&
          value[i] == static_cast<double>(static_cast<int64_t>(value[i]));
        first = std::min(first, value[i]);
        last = std::max(last, value[i]);
      }
      if (!here) whole = false;
      least[t] = first;
      most[t] = last;
    });
    good = whole;
    const double first = *std::min_element(least.begin(), least.end());
    const double last = *std::max_element(most.begin(), most.end());
    if (!good || first > last) return;
    low = static_cast<int64_t>(first);
    high = static_cast<int64_t>(last);
  }
  // How many numbers there may be.
  uint64_t size() const { return static_cast<uint64_t>(high - low) + 2; }
  uint64_t last() const { return size() - 1; }
  uint64_t at(std::size_t i) const {
    if (value == nullptr) return 0;
    if (std::isnan(value[i])) return last();
    const int64_t whole = static_cast<int64_t>(value[i]);
    return static_cast<uint64_t>(highest_first ? high - whole : whole - low);
  }
};

// Values of any kind as the numbers of those that differ, in their order.
inline std::vector<double> places_of(std::size_t n, const By& by, int count) {
  std::vector<int> order(n);
  auto number = [&](std::size_t i) { return key(by.value[i], by.highest_first); };
  in_order(n, By{}, count, order.data(), number);
  std::vector<double> place(n);
  double now = 0;
  for (std::size_t i = 0; i < n; ++i) {
    const std::size_t row = static_cast<std::size_t>(order[i]);
    if (i > 0 && number(row) != number(static_cast<std::size_t>(order[i - 1]))) ++now;
    place[row] = std::isnan(by.value[row]) ? by.value[row] : now;
  }
  return place;
}

// Do rows come in this order, as those of a table mostly do?
inline bool come_in_order(std::size_t n, const int* scope, const By& by) {
  auto at = [&](std::size_t i) {
    return Row{by.value == nullptr ? 0 : key(by.value[i], by.highest_first), tie(by, i), 0};
  };
  for (std::size_t i = 0; i < n; ++i) {
    if (by.code != nullptr && by.code[i] == kTotal) return false;
    if (i > 0 && (scope[i] < scope[i - 1] || (scope[i] == scope[i - 1] && before(at(i), at(i - 1))))) return false;
  }
  return true;
}

// Row numbers (from 0) in order of scope (up to `scopes`), then `by`, then row.
inline void in_scopes(std::size_t n, const int* scope, int scopes, const By& by, int wanted, int* out) {
  if (come_in_order(n, scope, by)) {
    std::iota(out, out + n, 0);
    return;
  }
  const int count = threads::useful(n, wanted);
  const Whole values(by, n, count);
  uint64_t numbers;
  if (!values.good || __builtin_mul_overflow(values.size(), static_cast<uint64_t>(scopes) + 1, &numbers)) {
    const std::vector<double> place = places_of(n, by, count);
    in_scopes(n, scope, scopes, By{place.data(), false, by.code, by.rank}, wanted, out);
    return;
  }
  const auto place = [=](std::size_t i) {
    return by.code != nullptr && by.code[i] == kTotal ? values.last() : values.at(i);
  };
  if (in_runs(n, scope, by, count, out, place)) return;
  in_order(n, by, count, out, [=](std::size_t i) {
    return static_cast<uint64_t>(scope[i]) * values.size() + place(i);
  });
}

}  // namespace order
