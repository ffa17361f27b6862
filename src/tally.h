// The tally: takes lines with coded keys and exact amounts, group by group.
//
// Keys are codes 1..size, 0 (or NA) for a missing value, -1 for a total over all. A group's place is its number in the
// key space where that is small enough for arrays, and is found by hashing otherwise. Threads share the
// lines and merge their arrays at the end; for hashing the lines are dealt out into parts first (dealt.h). Totals are
// whole numbers, so every way gives the same ones.
#pragma once
#include <climits>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <type_traits>
#include <vector>

#include "dealt.h"
#include "keys.h"
#include "money.h"
#include "memory.h"
#include "threads.h"

namespace tally {

constexpr std::size_t kAhead = 24;  // lines
constexpr std::size_t kNear = std::size_t{1} << 15;  // places
constexpr std::size_t kPause = 64;  // blocks between two looks at interrupts

enum class Kind { sum, count, smallest, largest };

// 64-bit integers travel through R in the bytes of doubles; R never looks at them.
inline int64_t whole_at(const double* bytes, std::size_t i) {
  int64_t value;
  std::memcpy(&value, bytes + i, sizeof value);
  return value;
}

// What one measure takes from each line where the mask allows: minor units as doubles, as integers, or,
// of groups that were tallied before, as 64-bit integers with how many lines each took. With none
// of them, the line itself is counted.
struct Amount {
  Kind kind;
  bool counts = true;  // also tell how many lines each value took
  const double* minor = nullptr;
  const int* whole = nullptr;
  const double* tallied = nullptr;  // 64-bit integers in the bytes of doubles
  const double* lines = nullptr;
  const int* rows = nullptr;  // from 1: `minor` or `whole` of the lines is in these rows
  const int* mask = nullptr;  // R logical; null for every line

  // Sums and counts start from 0; the others need to know whether they hold anything.
  bool needs_counts() const { return counts || kind == Kind::smallest || kind == Kind::largest; }
};

// One measure's running results by place. `counted` (null where nobody asks) tells how many lines each took.
struct Column {
  int64_t* value;
  int64_t* counted;
  bool far = false;    // too large for the near caches: what comes is worth fetching ahead
  bool alone = false;  // the only place: adding a line to it in memory would wait for the line before
};

inline void put(const Column& column, std::size_t at, Kind kind, int64_t minor, int64_t lines) {
  int64_t& value = column.value[at];
  switch (kind) {
    case Kind::sum:
    case Kind::count: value = money::add(value, minor); break;
    case Kind::smallest: if (column.counted[at] == 0 || minor < value) value = minor; break;
    case Kind::largest: if (column.counted[at] == 0 || minor > value) value = minor; break;
  }
  if (column.counted != nullptr) column.counted[at] += lines;
}

// The plainest case by itself: integers of every line. They cannot overflow 64 bits in any number of lines that R can
// hold.
template <typename Place, typename Line>
void add_whole(const int* whole, const Place* at, std::size_t n, const Column& column, Line line_of) {
  int64_t *value = column.value, *counted = column.counted;
  if (column.alone) {
    int64_t sum = 0, lines = 0;
    for (std::size_t i = 0; i < n; ++i) {
      const int one = whole[line_of(i)];
      sum += one == INT_MIN ? 0 : one;
      lines += one != INT_MIN;
    }
    *value += sum;
    if (counted != nullptr) *counted += lines;
    return;
  }
  const std::size_t ahead = column.far ? kAhead : 0;
  auto add = [&](auto counts) {
    for (std::size_t i = 0; i < n; ++i) {
      if (ahead > 0 && i + ahead < n) {
        __builtin_prefetch(value + at[i + ahead], 1);
        if (counts) __builtin_prefetch(counted + at[i + ahead], 1);
      }
      const int one = whole[line_of(i)];
      value[at[i]] += one == INT_MIN ? 0 : one;
      if (counts) counted[at[i]] += one != INT_MIN;
    }
  };
  if (counted != nullptr) add(std::true_type()); else add(std::false_type());
}

template <typename Place, typename Line>
void take_rows(const Amount& amount, const Place* at, std::size_t n, const Column& column, Line line_of) {
  if (amount.kind == Kind::sum && amount.whole != nullptr && amount.mask == nullptr) {
    add_whole(amount.whole, at, n, column, line_of);
    return;
  }
  for (std::size_t i = 0; i < n; ++i) {
    const std::size_t line = line_of(i);
    if (amount.mask != nullptr && amount.mask[line] != 1) continue;
    int64_t minor = 1, lines = 1;
    if (amount.minor != nullptr) {
      if (!std::isfinite(amount.minor[line])) continue;
      minor = static_cast<int64_t>(amount.minor[line]);
    } else if (amount.whole != nullptr) {
      if (amount.whole[line] == INT_MIN) continue;
      minor = amount.whole[line];
    } else if (amount.tallied != nullptr) {
      lines = whole_at(amount.lines, line);
      if (lines == 0) continue;
      minor = whole_at(amount.tallied, line);
    }
    put(column, at[i], amount.kind, minor, lines);
  }
}

template <typename Place, typename Line>
void take_lines(const Amount& amount, const Place* at, std::size_t n, const Column& column, Line line_of) {
  if (amount.rows == nullptr) {
    take_rows(amount, at, n, column, line_of);
  } else {
    const auto row_of = [&](std::size_t i) { return static_cast<std::size_t>(amount.rows[line_of(i)]) - 1; };
    take_rows(amount, at, n, column, row_of);
  }
}

// The groups: their numbers, and for each measure what it holds at a group's place. In arrays the place is the number.
class Groups {
 public:
  explicit Groups(std::size_t size) : numbers(size), size_(size) {}
  std::size_t size() const { return size_; }
  std::size_t place(std::size_t group) const { return by_number ? numbers.get()[group] : group; }

  bool by_number = false;
  pages::Zeros<uint64_t> numbers;
  std::vector<Column> columns;
  // What the columns point into.
  std::vector<pages::Zeros<int64_t>> arrays;
  std::vector<std::vector<int64_t>> vectors;

 private:
  std::size_t size_;
};

class Tally {
 public:
  Tally(KeySpace keys, std::vector<Amount> amounts) : keys_(std::move(keys)), amounts_(std::move(amounts)) {}

  // Arrays where they are not much larger than the lines themselves.
  bool dense(std::size_t lines) const {
    const uint64_t place = 2 * sizeof(int64_t) * amounts_.size() + 1;
    const uint64_t bytes = keys_.size() > (uint64_t{1} << 32) ? UINT64_MAX : keys_.size() * place;
    return bytes < (uint64_t{1} << 20) || (keys_.size() < lines * uint64_t{4} && bytes < (uint64_t{1} << 29));
  }

  // `pause` is called now and then by the calling thread: the place to honour an interrupt.
  template <typename Pause>
  Groups run(std::size_t lines, int wanted, Pause pause) const {
    const int count = threads::useful(lines, wanted);
    return dense(lines) ? run_dense(lines, count, pause) : run_hashed(lines, count, pause);
  }

  const KeySpace& keys() const { return keys_; }

 private:
  // Results of each measure by place, and marks that tell whether a line fell there: a word for each place of a small
  // space, which is just written, and a bit in a large one, since bits stay in the cache.
  struct Arrays {
    std::vector<pages::Zeros<int64_t>> held;
    std::vector<Column> columns;
    pages::Zeros<uint64_t> marks;
  };
  bool far() const { return keys_.size() > kNear; }
  std::size_t places_per_mark() const { return far() ? 64 : 1; }

  Arrays arrays() const {
    const std::size_t places = keys_.size();
    Arrays out{{}, {}, pages::Zeros<uint64_t>(places / places_per_mark() + 1)};
    for (const Amount& amount : amounts_) {
      out.held.emplace_back(places);
      int64_t* value = out.held.back().get();
      if (amount.needs_counts()) out.held.emplace_back(places);
      out.columns.push_back({value, amount.needs_counts() ? out.held.back().get() : nullptr, far(),
                             places == 1});
    }
    return out;
  }

  // Takes lines from..end.
  void fill(const Arrays& arrays, std::size_t from, std::size_t end) const {
    uint64_t* seen = arrays.marks.get();
    std::vector<uint32_t> at(kBlock);
    for (; from < end; from += kBlock) {
      const std::size_t n = std::min(kBlock, end - from);
      // Without keys there is a single place, and all lines are in it.
      if (keys_.width() > 0) keys_.encode(from, n, at.data());
      for (std::size_t m = 0; m < amounts_.size(); ++m) {
        take_lines(amounts_[m], at.data(), n, arrays.columns[m], [from](std::size_t i) { return from + i; });
      }
      if (keys_.width() == 0) {
        seen[0] = 1;
      } else if (far()) {
        for (std::size_t i = 0; i < n; ++i) seen[at[i] >> 6] |= uint64_t{1} << (at[i] & 63);
      } else {
        for (std::size_t i = 0; i < n; ++i) seen[at[i]] = 1;
      }
    }
  }

  // Merges the results of marks first..last into the first set and returns the number of groups.
  std::size_t bring_together(const std::vector<Arrays>& sets, std::size_t first, std::size_t last) const {
    const std::size_t wide = places_per_mark(), from = first * wide, to = std::min<std::size_t>(
      last * wide, keys_.size()
    );
    uint64_t* seen = sets[0].marks.get();
    for (std::size_t t = 1; t < sets.size(); ++t) {
      for (std::size_t m = 0; m < amounts_.size(); ++m) merge(amounts_[m].kind, sets[0].columns[m], sets[t].columns[m],
                                                              from, to);
      for (std::size_t w = first; w < last; ++w) seen[w] |= sets[t].marks.get()[w];
    }
    std::size_t count = 0;
    for (std::size_t w = first; w < last; ++w) count += __builtin_popcountll(seen[w]);
    return count;
  }

  // The places of marks first..last.
  void list(const Arrays& arrays, std::size_t first, std::size_t last, uint64_t* out) const {
    const std::size_t wide = places_per_mark();
    const uint64_t* seen = arrays.marks.get();
    for (std::size_t w = first; w < last; ++w) {
      for (uint64_t word = seen[w]; word != 0; word &= word - 1) *out++ = w * wide + __builtin_ctzll(word);
    }
  }

  // Threads share the lines, each with arrays of its own that are merged at the end, by ranges of the space.
  template <typename Pause>
  Groups run_dense(std::size_t lines, int count, Pause pause) const {
    std::vector<Arrays> sets;
    for (int t = 0; t < count; ++t) sets.push_back(arrays());
    threads::pieces(lines, kBlock * kPause, count, [&](std::size_t from, std::size_t end, int t) {
      fill(sets[t], from, end);
      if (t == 0) pause();
    });
    const std::size_t marks = (keys_.size() + places_per_mark() - 1) / places_per_mark();
    const int parts = threads::useful(keys_.size(), count);
    auto bound = [&](int p) { return marks * p / parts; };
    std::vector<std::size_t> counts(parts + 1, 0);
    threads::each(parts, [&](int p) { counts[p + 1] = bring_together(sets, bound(p), bound(p + 1)); });
    for (int p = 0; p < parts; ++p) counts[p + 1] += counts[p];
    Groups groups(counts[parts]);
    groups.by_number = true;
    threads::each(parts, [&](int p) { list(sets[0], bound(p), bound(p + 1), groups.numbers.get() + counts[p]); });
    groups.columns = sets[0].columns;
    groups.arrays = std::move(sets[0].held);
    return groups;
  }

  static void merge(Kind kind, const Column& into, const Column& from, std::size_t first, std::size_t last) {
    if (from.counted == nullptr) {
      int64_t* a = into.value;
      const int64_t* b = from.value;
      int64_t over = 0;
      HINTERFELD_SIMD_OR(over)
      for (std::size_t g = first; g < last; ++g) {
        const int64_t sum = static_cast<int64_t>(static_cast<uint64_t>(a[g]) + static_cast<uint64_t>(b[g]));
        over |= (a[g] ^ sum) & (b[g] ^ sum);  // the sign differs from both
        a[g] = sum;
      }
      if (over < 0) throw std::overflow_error("sum of minor units");
      return;
    }
    for (std::size_t g = first; g < last; ++g) {
      if (from.counted[g] > 0) put(into, g, kind, from.value[g], from.counted[g]);
    }
  }

  // A part of the groups after the other, each by hashing.
  template <typename Pause>
  Groups run_hashed(std::size_t lines, int count, Pause pause) const {
    const std::size_t width = amounts_.size();
    const Dealt dealt(keys_, lines, count, pause);
    // For each thread the numbers of its groups, and values and counts of each measure.
    std::vector<std::vector<uint64_t>> numbers(count);
    std::vector<std::vector<std::vector<int64_t>>> held(count, std::vector<std::vector<int64_t>>(2 * width));
    dealt.each_part(count, [&](int t, const Dealt::Part& part) {
      Slots slots(part.n);
      std::vector<uint32_t> at(part.n);
      for (std::size_t i = 0; i < part.n; ++i) at[i] = slots.find(part.number[i]);
      const std::size_t before = numbers[t].size(), size = before + slots.size();
      for (std::size_t s = 0; s < slots.size(); ++s) numbers[t].push_back(slots.number(s));
      for (std::size_t m = 0; m < width; ++m) {
        std::vector<int64_t>& value = held[t][2 * m];
        std::vector<int64_t>& counted = held[t][2 * m + 1];
        const bool counts = amounts_[m].needs_counts();
        value.resize(size, 0);
        if (counts) counted.resize(size, 0);
        take_lines(amounts_[m], at.data(), part.n,
                   Column{value.data() + before, counts ? counted.data() + before : nullptr},
                   [&part](std::size_t i) { return part.line[i]; });
      }
      if (t == 0) pause();
    });
    std::size_t size = 0;
    for (const std::vector<uint64_t>& own : numbers) size += own.size();
    Groups groups(size);
    groups.vectors.resize(2 * width);
    uint64_t* number = groups.numbers.get();
    for (int t = 0; t < count; ++t) {
      number = std::copy(numbers[t].begin(), numbers[t].end(), number);
      for (std::size_t k = 0; k < 2 * width; ++k) {
        groups.vectors[k].insert(groups.vectors[k].end(), held[t][k].begin(), held[t][k].end());
        std::vector<int64_t>().swap(held[t][k]);
      }
    }
    for (std::size_t m = 0; m < width; ++m) {
      groups.columns.push_back(
        {groups.vectors[2 * m].data(), amounts_[m].needs_counts() ? groups.vectors[2 * m + 1].data() : nullptr}
      );
    }
    return groups;
  }

  KeySpace keys_;
  std::vector<Amount> amounts_;
};

}  // namespace tally
