// Orders rows inside scopes from the highest value (or the lowest), ties by a number of their own.
#pragma once
#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <vector>

#include "threads.h"

namespace order {

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

// Row numbers (from 0) in order of scope (1..scopes), value, tie and row. `tie` may be null.
inline void in_scopes(std::size_t n, const int* scope, int scopes, const double* value, const int* tie, bool highest_first,
                      int wanted, int* out) {
  std::vector<std::size_t> start(static_cast<std::size_t>(scopes) + 2, 0);
  for (std::size_t i = 0; i < n; ++i) ++start[scope[i] + 1];
  for (int s = 0; s <= scopes; ++s) start[s + 1] += start[s];
  std::vector<Row> rows(n);
  {
    std::vector<std::size_t> next(start);
    for (std::size_t i = 0; i < n; ++i) {
      rows[next[scope[i]]++] = {key(value[i], highest_first), tie == nullptr ? 0 : static_cast<uint32_t>(tie[i]), static_cast<int>(i)};
    }
  }
  const int count = threads::useful(n, wanted);
  threads::each(count, [&](int t) {
    std::vector<Row> spare;
    // Scopes are shared out by their rows, not by their number.
    for (int s = 0; s <= scopes; ++s) {
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
