// Orders rows inside scopes from the highest value (or the lowest), ties by name.
#pragma once
#include <algorithm>
#include <atomic>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <vector>

#include "threads.h"

namespace order {

// What rows are ordered by inside their scope: the value, then the rank of the name that a code stands for. Missing
// values and names come last, and the total of the others (code -1) after them.
struct By {
  const double* value = nullptr;  // null: names only
  bool highest_first = true;
  const int* code = nullptr;      // null: no names
  const int* rank = nullptr;      // by code from 1; null: codes are ranks
};

constexpr int kTotal = -1;

inline uint32_t tie(const By& by, std::size_t i) {
  if (by.code == nullptr) return 0;
  const int code = by.code[i];
  if (code == kTotal) return UINT32_MAX;
  if (code <= 0) return UINT32_MAX - 1;
  return static_cast<uint32_t>(by.rank == nullptr ? code : by.rank[code - 1]);
}

// Whole numbers differ in fewer bytes when they are taken as such.
inline bool all_whole(const double* x, std::size_t n, int wanted) {
  std::atomic<bool> whole{true};
  threads::ranges(n, wanted, [&](std::size_t from, std::size_t to) {
    bool here = true;
    for (std::size_t i = from; i < to && here; ++i) {
      here = std::isnan(x[i]) || (std::fabs(x[i]) < 9007199254740992.0 && x[i] == static_cast<double>(static_cast<int64_t>(x[i])));
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

// Sorts by bytes from the last to the first, leaving out bytes that are the same in all rows. Stable.
inline void by_bytes(Row* rows, std::size_t n, std::vector<Row>& spare) {
  uint64_t differ_value = 0;
  uint32_t differ_tie = 0;
  for (std::size_t i = 1; i < n; ++i) {
    differ_value |= rows[i].value ^ rows[0].value;
    differ_tie |= rows[i].tie ^ rows[0].tie;
  }
  if (spare.size() < n) spare.resize(n);
  Row* from = rows;
  Row* to = spare.data();
  auto pass = [&](auto byte) {
    std::size_t start[257] = {0};
    for (std::size_t i = 0; i < n; ++i) ++start[byte(from[i]) + 1];
    for (int b = 0; b < 256; ++b) start[b + 1] += start[b];
    for (std::size_t i = 0; i < n; ++i) to[start[byte(from[i])]++] = from[i];
    std::swap(from, to);
  };
  for (int shift = 0; shift < 32; shift += 8) {
    if (differ_tie >> shift & 255) pass([shift](const Row& r) { return r.tie >> shift & 255; });
  }
  for (int shift = 0; shift < 64; shift += 8) {
    if (differ_value >> shift & 255) pass([shift](const Row& r) { return r.value >> shift & 255; });
  }
  if (from != rows) std::copy(from, from + n, rows);
}

// Row numbers (from 0) in order of scope (1..scopes), then `by`, then row.
inline void in_scopes(std::size_t n, const int* scope, int scopes, const By& by, int wanted, int* out) {
  const int count = threads::useful(n, wanted);
  const std::size_t width = static_cast<std::size_t>(scopes) + 1;
  // Where each thread's rows of each scope go.
  std::vector<std::vector<std::size_t>> next(count, std::vector<std::size_t>(width, 0));
  threads::each(count, [&](int t) {
    for (std::size_t i = n * t / count; i < n * (t + 1) / count; ++i) ++next[t][scope[i]];
  });
  std::vector<std::size_t> start(width + 1, 0);
  for (std::size_t s = 0; s < width; ++s) {
    start[s + 1] = start[s];
    for (int t = 0; t < count; ++t) {
      const std::size_t rows = next[t][s];
      next[t][s] = start[s + 1];
      start[s + 1] += rows;
    }
  }
  std::vector<Row> rows(n);
  const bool whole = by.value == nullptr || all_whole(by.value, n, wanted);
  threads::each(count, [&](int t) {
    for (std::size_t i = n * t / count; i < n * (t + 1) / count; ++i) {
      const bool total = by.code != nullptr && by.code[i] == kTotal;
      const uint64_t value = total ? UINT64_MAX : by.value == nullptr ? 0 : key(by.value[i], by.highest_first, whole);
      rows[next[t][scope[i]]++] = {value, tie(by, i), static_cast<int>(i)};
    }
  });
  threads::each(count, [&](int t) {
    std::vector<Row> spare;
    // Scopes are shared out by their rows, not by their number.
    for (std::size_t s = 0; s < width; ++s) {
      const std::size_t from = start[s], length = start[s + 1] - from;
      if (length == 0 || from * count / n != static_cast<std::size_t>(t)) continue;
      if (length > 64) {
        by_bytes(rows.data() + from, length, spare);
      } else {
        std::stable_sort(rows.begin() + from, rows.begin() + from + length, before);
      }
      for (std::size_t i = from; i < from + length; ++i) out[i] = rows[i].row;
    }
  });
}

}  // namespace order
