// The tally: takes lines with coded keys and exact amounts, group by group.
//
// Keys are codes 1..size, 0 (or NA) for a missing value, -1 for a total over all. A group's place is its number in the key
// space where that is small enough for arrays, and is found by hashing otherwise. Threads share the
// lines of a small key space and add their arrays at the end; of a large one each takes the groups
// that fall to it. Totals are whole numbers, so every way gives the same ones.
#pragma once
#include <climits>
#include <cmath>
#include <cstdint>
#include <cstdlib>
#include <vector>

#if defined(__linux__)
#include <sys/mman.h>
#endif

#include "money.h"
#include "threads.h"

namespace tally {

constexpr std::size_t kBlock = 2048;
constexpr std::size_t kPause = 64;  // blocks between two looks at interrupts

// One key column: codes, and how many distinct ones there are. With a lookup the codes are days,
// counted from `first`, and the lookup holds the code of each.
struct Key {
  const int* codes;
  uint64_t size;
  const int* lookup;
  int first;
  int days;
};

// Total, missing, and then the codes.
inline uint64_t digit(int code) { return code == INT_MIN ? 1 : static_cast<uint64_t>(code + 1); }

// Mixed-radix number of a line's codes.
class KeySpace {
 public:
  explicit KeySpace(std::vector<Key> keys) : keys_(std::move(keys)) {
    for (const Key& key : keys_) {
      if (__builtin_mul_overflow(size_, radix(key), &size_)) {
        throw std::length_error("key space");
      }
    }
  }
  uint64_t size() const { return size_; }
  std::size_t width() const { return keys_.size(); }

  template <typename Number>
  void encode(std::size_t from, std::size_t n, Number* out) const {
    std::fill(out, out + n, Number{0});
    for (const Key& key : keys_) {
      const Number width = static_cast<Number>(radix(key));
      const int* codes = key.codes + from;
      if (key.lookup != nullptr) {
        for (std::size_t i = 0; i < n; ++i) {
          // A missing day, and any outside the lookup, is no day of it.
          const int64_t at = int64_t{codes[i]} - key.first;
          const int code = at < 0 || at >= key.days ? 0 : key.lookup[at];
          out[i] = out[i] * width + static_cast<Number>(digit(code));
        }
      } else {
        for (std::size_t i = 0; i < n; ++i) out[i] = out[i] * width + static_cast<Number>(digit(codes[i]));
      }
    }
  }

  // The codes of one number, last key first taken off; 0 for missing.
  void decode(uint64_t number, int* out) const {
    if (size_ <= UINT32_MAX) {  // a division of 32 bits takes half the time
      uint32_t rest = static_cast<uint32_t>(number);
      for (std::size_t k = keys_.size(); k-- > 0;) {
        const uint32_t width = static_cast<uint32_t>(radix(keys_[k]));
        out[k] = static_cast<int>(rest % width) - 1;
        rest /= width;
      }
      return;
    }
    for (std::size_t k = keys_.size(); k-- > 0;) {
      const uint64_t width = radix(keys_[k]);
      out[k] = static_cast<int>(number % width) - 1;
      number /= width;
    }
  }

 private:
  static uint64_t radix(const Key& key) { return key.size + 2; }

  std::vector<Key> keys_;
  uint64_t size_ = 1;
};

inline uint64_t mix(uint64_t x) {
  x ^= x >> 32;
  x *= 0x9E3779B97F4A7C15u;
  return x ^ (x >> 29);
}

constexpr uint32_t kNone = UINT32_MAX;

// A slot for each number that turns up, in order of first appearance, found by hashing.
class Slots {
 public:
  explicit Slots(std::size_t expected = 0) {
    std::size_t width = 1024;
    while (width < expected * 2) width *= 2;
    table_.assign(width, kNone);
    numbers_.reserve(expected);
  }

  uint32_t find(uint64_t number) {
    const uint64_t at = place(number);
    if (table_[at] != kNone) return table_[at];
    const uint32_t slot = table_[at] = static_cast<uint32_t>(numbers_.size());
    numbers_.push_back(number);
    if (numbers_.size() * 2 > table_.size()) grow();
    return slot;
  }

  // The slot of a number that may not be there: kNone.
  uint32_t look_up(uint64_t number) const { return table_[place(number)]; }

  std::size_t size() const { return numbers_.size(); }
  uint64_t number(std::size_t slot) const { return numbers_[slot]; }

 private:
  uint64_t place(uint64_t number) const {
    uint64_t at = mix(number) & (table_.size() - 1);
    while (table_[at] != kNone && numbers_[table_[at]] != number) at = (at + 1) & (table_.size() - 1);
    return at;
  }
  void grow() {
    table_.assign(table_.size() * 2, kNone);
    for (uint32_t slot = 0; slot < numbers_.size(); ++slot) {
      uint64_t at = mix(numbers_[slot]) & (table_.size() - 1);
      while (table_[at] != kNone) at = (at + 1) & (table_.size() - 1);
      table_[at] = slot;
    }
  }

  std::vector<uint32_t> table_;
  std::vector<uint64_t> numbers_;
};

enum class Kind { sum, count, smallest, largest };

// What one measure takes from each line where the mask allows: units as doubles, as integers, or,
// of groups that were tallied before, as 64-bit integers with how many lines each took. With none
// of them, the line itself is counted.
struct Amount {
  Kind kind;
  bool counts = true;  // also tell how many lines each value took
  const double* units = nullptr;
  const int* whole = nullptr;
  const int64_t* tallied = nullptr;
  const int64_t* lines = nullptr;
  const int* mask = nullptr;  // R logical; null for every line

  bool every_line() const { return mask == nullptr && units == nullptr && whole == nullptr && tallied == nullptr; }
  // Sums and counts start from 0; the others need to know whether they hold anything.
  bool needs_counts() const { return counts || kind == Kind::smallest || kind == Kind::largest; }
};

// One measure's running results by place. `counted` (null where nobody asks) tells how many lines each took.
struct Column {
  int64_t* value;
  int64_t* counted;
};

inline void put(const Column& column, std::size_t at, Kind kind, int64_t units, int64_t lines) {
  int64_t& value = column.value[at];
  switch (kind) {
    case Kind::sum:
    case Kind::count: value = money::add(value, units); break;
    case Kind::smallest: if (column.counted[at] == 0 || units < value) value = units; break;
    case Kind::largest: if (column.counted[at] == 0 || units > value) value = units; break;
  }
  if (column.counted != nullptr) column.counted[at] += lines;
}

// Takes `n` lines from `from` on; `at[i]` is the place of line from + i.
template <typename Place>
void take(const Amount& amount, std::size_t from, std::size_t n, const Place* at, const Column& column) {
  const int* mask = amount.mask == nullptr ? nullptr : amount.mask + from;
  if (amount.kind == Kind::sum && amount.whole != nullptr && mask == nullptr && column.counted == nullptr) {
    // Integers cannot overflow 64 bits in any number of lines that R can hold.
    const int* whole = amount.whole + from;
    for (std::size_t i = 0; i < n; ++i) column.value[at[i]] += whole[i] == INT_MIN ? 0 : whole[i];
    return;
  }
  for (std::size_t i = 0; i < n; ++i) {
    if (mask != nullptr && mask[i] != 1) continue;
    const std::size_t line = from + i;
    int64_t units = 1, lines = 1;
    if (amount.units != nullptr) {
      if (!std::isfinite(amount.units[line])) continue;
      units = static_cast<int64_t>(amount.units[line]);
    } else if (amount.whole != nullptr) {
      if (amount.whole[line] == INT_MIN) continue;
      units = amount.whole[line];
    } else if (amount.tallied != nullptr) {
      if (amount.lines[line] == 0) continue;
      units = amount.tallied[line];
      lines = amount.lines[line];
    }
    put(column, at[i], amount.kind, units, lines);
  }
}

// Memory that the system gives as zeros when it is first touched, in large pages where it can: groups are touched in
// any order, and with small pages most touches would have to look the page up.
template <typename T>
class Zeros {
 public:
  explicit Zeros(std::size_t n) : bytes_(std::max<std::size_t>(n, 1) * sizeof(T)) {
#if defined(__linux__)
    if (bytes_ >= kLargePage) {
      mapped_ = bytes_ + kLargePage;
      start_ = mmap(nullptr, mapped_, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
      if (start_ == MAP_FAILED) throw std::bad_alloc();
      data_ = aligned(kLargePage);
      madvise(data_, bytes_, MADV_HUGEPAGE);
      return;
    }
#endif
    // Threads write into arrays of their own; two that met in one cache line would wait for each other at every write.
    start_ = std::calloc(bytes_ + 2 * kLine, 1);
    if (start_ == nullptr) throw std::bad_alloc();
    data_ = aligned(kLine);
  }
  Zeros(Zeros&& other) noexcept { swap(other); }
  Zeros& operator=(Zeros&& other) noexcept {
    swap(other);
    return *this;
  }
  ~Zeros() {
#if defined(__linux__)
    if (mapped_ > 0) {
      munmap(start_, mapped_);
      return;
    }
#endif
    std::free(start_);
  }
  T* get() const { return data_; }

 private:
  static constexpr std::size_t kLargePage = std::size_t{1} << 21;
  static constexpr std::size_t kLine = 128;  // processors fetch lines of 64 bytes in pairs
  T* aligned(std::size_t to) const {
    return reinterpret_cast<T*>((reinterpret_cast<uintptr_t>(start_) + to - 1) / to * to);
  }
  void swap(Zeros& other) {
    std::swap(bytes_, other.bytes_);
    std::swap(mapped_, other.mapped_);
    std::swap(start_, other.start_);
    std::swap(data_, other.data_);
  }
  std::size_t bytes_ = 0, mapped_ = 0;
  void* start_ = nullptr;
  T* data_ = nullptr;
};

// The groups: their numbers, and for each measure what it holds at a group's place. In arrays the place is the number.
class Groups {
 public:
  std::size_t size() const { return numbers.size(); }
  std::size_t place(std::size_t group) const { return by_number ? numbers[group] : group; }

  bool by_number = false;
  std::vector<uint64_t> numbers;
  std::vector<Column> columns;
  // What the columns point into.
  std::vector<Zeros<int64_t>> arrays;
  std::vector<std::vector<int64_t>> vectors;
};

class Tally {
 public:
  Tally(KeySpace keys, std::vector<Amount> amounts) : keys_(std::move(keys)), amounts_(std::move(amounts)) {}

  // Arrays where they are not much larger than the lines themselves.
  bool dense(std::size_t lines) const {
    const uint64_t bytes = keys_.size() > (uint64_t{1} << 32) ? UINT64_MAX : keys_.size() * (2 * sizeof(int64_t) * amounts_.size() + 1);
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
  // A count of every line tells which groups there are; without one a mark does.
  int every_line() const {
    for (std::size_t m = 0; m < amounts_.size(); ++m) {
      if (amounts_[m].every_line()) return static_cast<int>(m);
    }
    return -1;
  }

  std::vector<Column> columns_in(std::vector<Zeros<int64_t>>& arrays) const {
    std::vector<Column> columns;
    for (const Amount& amount : amounts_) {
      arrays.emplace_back(keys_.size());
      int64_t* value = arrays.back().get();
      if (amount.needs_counts()) arrays.emplace_back(keys_.size());
      columns.push_back({value, amount.needs_counts() ? arrays.back().get() : nullptr});
    }
    return columns;
  }

  template <typename Pause>
  Groups run_dense(std::size_t lines, int count, Pause pause) const {
    const std::size_t space = keys_.size(), width = amounts_.size();
    std::vector<std::vector<Zeros<int64_t>>> arrays(count);
    std::vector<std::vector<Column>> columns(count);
    // A bit for each place tells whether a line fell there: bits stay in the cache where bytes would not.
    const std::size_t words = (space + 63) / 64;
    std::vector<Zeros<uint64_t>> marks;
    const int every = every_line();
    for (int t = 0; t < count; ++t) {
      columns[t] = columns_in(arrays[t]);
      marks.emplace_back(every < 0 ? words : 0);
    }
    threads::each(count, [&](int t) {
      uint64_t* seen = marks[t].get();
      std::vector<uint32_t> at(kBlock);
      std::size_t blocks = 0;
      const std::size_t end = lines * (t + 1) / count;
      for (std::size_t from = lines * t / count; from < end; from += kBlock) {
        const std::size_t n = std::min(kBlock, end - from);
        keys_.encode(from, n, at.data());
        for (std::size_t m = 0; m < width; ++m) take(amounts_[m], from, n, at.data(), columns[t][m]);
        if (every < 0) for (std::size_t i = 0; i < n; ++i) seen[at[i] >> 6] |= uint64_t{1} << (at[i] & 63);
        if (t == 0 && ++blocks % kPause == 0) pause();
      }
    });
    // Each range of the space: the other threads' results into the first's, and which groups there are.
    const int parts = threads::useful(space, count);
    std::vector<std::vector<uint64_t>> found(parts);
    threads::each(parts, [&](int p) {
      const std::size_t first = words * p / parts, last = words * (p + 1) / parts;
      const std::size_t from = first * 64, to = std::min(last * 64, space);
      for (int t = 1; t < count; ++t) {
        for (std::size_t m = 0; m < width; ++m) merge(amounts_[m].kind, columns[0][m], columns[t][m], from, to);
        if (every < 0) for (std::size_t w = first; w < last; ++w) marks[0].get()[w] |= marks[t].get()[w];
      }
      found[p].reserve(std::min(to - from, lines));
      if (every < 0) {
        for (std::size_t w = first; w < last; ++w) {
          for (uint64_t word = marks[0].get()[w]; word != 0; word &= word - 1) found[p].push_back(w * 64 + __builtin_ctzll(word));
        }
      } else {
        for (std::size_t g = from; g < to; ++g) {
          if (columns[0][every].value[g] > 0) found[p].push_back(g);
        }
      }
    });
    Groups groups;
    groups.by_number = true;
    groups.numbers = std::move(found[0]);
    for (int p = 1; p < parts; ++p) groups.numbers.insert(groups.numbers.end(), found[p].begin(), found[p].end());
    groups.columns = columns[0];
    groups.arrays = std::move(arrays[0]);
    return groups;
  }

  static void merge(Kind kind, const Column& into, const Column& from, std::size_t first, std::size_t last) {
    for (std::size_t g = first; g < last; ++g) {
      if (from.counted == nullptr) {
        into.value[g] = money::add(into.value[g], from.value[g]);
      } else if (from.counted[g] > 0) {
        put(into, g, kind, from.value[g], from.counted[g]);
      }
    }
  }

  template <typename Pause>
  Groups run_hashed(std::size_t lines, int count, Pause pause) const {
    const std::size_t width = amounts_.size();
    std::vector<Slots> slots(count);
    // For each thread, values and counts of each measure; place 0 takes what belongs to other threads.
    std::vector<std::vector<std::vector<int64_t>>> held(count, std::vector<std::vector<int64_t>>(2 * width));
    threads::each(count, [&](int t) {
      std::vector<uint64_t> numbers(kBlock);
      std::vector<uint32_t> at(kBlock);
      std::size_t blocks = 0;
      for (std::size_t from = 0; from < lines; from += kBlock) {
        const std::size_t n = std::min(kBlock, lines - from);
        keys_.encode(from, n, numbers.data());
        for (std::size_t i = 0; i < n; ++i) {
          const bool mine = count == 1 || static_cast<int>((mix(numbers[i]) >> 40) % count) == t;
          at[i] = mine ? slots[t].find(numbers[i]) + 1 : 0;
        }
        for (std::size_t m = 0; m < width; ++m) {
          std::vector<int64_t>& value = held[t][2 * m];
          std::vector<int64_t>& counted = held[t][2 * m + 1];
          const bool counts = amounts_[m].needs_counts();
          value.resize(slots[t].size() + 1, 0);
          if (counts) counted.resize(slots[t].size() + 1, 0);
          value[0] = 0;
          take(amounts_[m], from, n, at.data(), Column{value.data(), counts ? counted.data() : nullptr});
        }
        if (t == 0 && ++blocks % kPause == 0) pause();
      }
    });
    Groups groups;
    groups.vectors.resize(2 * width);
    for (int t = 0; t < count; ++t) {
      for (std::size_t s = 0; s < slots[t].size(); ++s) groups.numbers.push_back(slots[t].number(s));
      slots[t] = Slots();
      for (std::size_t k = 0; k < 2 * width; ++k) {
        if (!held[t][k].empty()) groups.vectors[k].insert(groups.vectors[k].end(), held[t][k].begin() + 1, held[t][k].end());
        std::vector<int64_t>().swap(held[t][k]);
      }
    }
    for (std::size_t m = 0; m < width; ++m) {
      groups.columns.push_back({groups.vectors[2 * m].data(), amounts_[m].needs_counts() ? groups.vectors[2 * m + 1].data() : nullptr});
    }
    return groups;
  }

  KeySpace keys_;
  std::vector<Amount> amounts_;
};

}  // namespace tally
