// Orders rows inside scopes from the highest value (or the lowest), ties by name.
#pragma once
#include <algorithm>
#include <atomic>
#include <cmath>
#include <cstdint>
#include <cstring>
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

// Whole numbers differ in fewer bytes when they are taken as such.
inline bool all_whole(const double* x, std::size_t n, int wanted) {
  std::atomic<bool> whole{true};
  threads::ranges(n, wanted, [&](std::size_t from, std::size_t to) {
    bool here = true;
    for (std::size_t i = from; i < to && here; ++i) {
      here = std::isnan(x[i]) ||
        (std::fabs(x[i]) < 9007199254740992.0 && x[i] == static_cast<double>(static_cast<int64_t>(x[i])));
    }
    if (!here) whole = false;
  });
  return whole;
}

// A double as an integer in the same order, -0 like 0, NaN last.
inline uint64_t key(double x, bool highest_first, bool whole) {
  if (std::isnan(x)) return UINT64_MAX;
  x += 0.0;
  uint64_t bits;
  if (whole) {
    bits = static_cast<uint64_t>(static_cast<int64_t>(x) + (int64_t{1} << 53));
    return highest_first ? (uint64_t{1} << 54) - bits : bits;
  }
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

// Calls put(scope, first row, past the last) for each run of rows of one scope.
template <typename Put>
void runs(const int* scope, std::size_t from, std::size_t to, Put put) {
  while (from < to) {
    std::size_t end = from + 1;
    while (end < to && scope[end] == scope[from]) ++end;
    put(static_cast<std::size_t>(scope[from]), from, end);
    from = end;
  }
}

// What a row is ordered by inside its scope.
inline Row row_of(const By& by, bool whole, std::size_t i) {
  const uint32_t name = tie(by, i);
  const uint64_t value = name == kLast ? UINT64_MAX : by.value == nullptr ? 0 : key(by.value[i], by.highest_first, whole);
  return {value, name, static_cast<int>(i)};
}

// Scopes of very many rows are cut by the leading digits of their values, so that every thread has some of them.
struct Cut {
  std::size_t parts = 1;
  uint64_t least = 0;
  int shift = 0;
  Cut(const By& by, bool whole, std::size_t n, int scopes, int count) {
    if (count == 1 || by.value == nullptr || n / kMany < static_cast<std::size_t>(scopes)) return;
    std::vector<uint64_t> low(count, UINT64_MAX), high(count, 0);
    threads::each(count, [&](int t) {
      uint64_t first = UINT64_MAX, last = 0;
      for (std::size_t i = n * t / count; i < n * (t + 1) / count; ++i) {
        const uint64_t value = key(by.value[i], by.highest_first, whole);
        if (value == UINT64_MAX) continue;
        first = std::min(first, value);
        last = std::max(last, value);
      }
      low[t] = first;
      high[t] = last;
    });
    least = *std::min_element(low.begin(), low.end());
    const uint64_t most = *std::max_element(high.begin(), high.end());
    if (least >= most) return;
    parts = kParts;
    while ((most - least) >> shift >= kParts) ++shift;
  }
  std::size_t part(uint64_t value) const {
    return parts == 1 ? 0 : static_cast<std::size_t>(std::min<uint64_t>((value - least) >> shift, kParts - 1));
  }

 private:
  static constexpr std::size_t kMany = std::size_t{1} << 18, kParts = 256;
};

// Rows of one scope each, scope by scope, and of each part of a scope: where each starts, and its rows in their own
// order.
struct Scopes {
  std::vector<std::size_t> start;
  pages::Zeros<Row> rows;
};

inline Scopes by_scope(std::size_t n, const int* scope, int scopes, const By& by, int count) {
  const bool whole = by.value == nullptr || all_whole(by.value, n, count);
  const Cut cut(by, whole, n, scopes, count);
  const std::size_t width = (static_cast<std::size_t>(scopes) + 1) * cut.parts;
  // How many rows of each scope each thread has; then where they go.
  std::vector<std::vector<std::size_t>> next(count, std::vector<std::size_t>(width, 0));
  threads::each(count, [&](int t) {
    std::size_t* mine = next[t].data();
    const By of = by;
    runs(scope, n * t / count, n * (t + 1) / count, [&](std::size_t s, std::size_t from, std::size_t to) {
      if (cut.parts == 1) mine[s] += to - from;
      else for (std::size_t i = from; i < to; ++i) ++mine[s * cut.parts + cut.part(row_of(of, whole, i).value)];
    });
  });
  Scopes out{std::vector<std::size_t>(width + 1, 0), pages::Zeros<Row>(n)};
  for (std::size_t s = 0; s < width; ++s) {
    out.start[s + 1] = out.start[s];
    for (int t = 0; t < count; ++t) {
      const std::size_t rows = next[t][s];
      next[t][s] = out.start[s + 1];
      out.start[s + 1] += rows;
    }
  }
  threads::each(count, [&](int t) {
    std::size_t* mine = next[t].data();
    Row* rows = out.rows.get();
    const By of = by;
    runs(scope, n * t / count, n * (t + 1) / count, [&](std::size_t s, std::size_t from, std::size_t to) {
      for (std::size_t i = from; i < to; ++i) {
        const Row row = row_of(of, whole, i);
        rows[mine[s * cut.parts + cut.part(row.value)]++] = row;
      }
    });
  });
  return out;
}

// Row numbers (from 0) in order of scope (1..scopes), then `by`, then row.
inline void in_scopes(std::size_t n, const int* scope, int scopes, const By& by, int wanted, int* out) {
  const int count = threads::useful(n, wanted);
  Scopes found = by_scope(n, scope, scopes, by, count);
  threads::each(count, [&](int t) {
    std::vector<Row> spare;
    // Scopes are shared out by their rows, not by their number.
    for (std::size_t s = 0; s + 1 < found.start.size(); ++s) {
      const std::size_t from = found.start[s], length = found.start[s + 1] - from;
      if (length == 0 || from * count / n != static_cast<std::size_t>(t)) continue;
      Row* rows = found.rows.get() + from;
      if (length > 64) {
        by_digits(rows, length, spare);
      } else {
        std::stable_sort(rows, rows + length, before);
      }
      for (std::size_t i = 0; i < length; ++i) out[from + i] = rows[i].row;
    }
  });
}

}  // namespace order
