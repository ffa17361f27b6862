// The tally: takes lines with coded keys and exact amounts, group by group.
//
// Keys are codes 1..size, 0 (or NA) for a missing value. A group's place is its number in the key
// space where that is small enough for arrays, and is found by hashing otherwise. Threads share the
// lines of a small key space and add their arrays at the end; of a large one each takes the groups
// that fall to it. Totals are whole numbers, so every way gives the same ones.
#pragma once
#include <climits>
#include <cmath>
#include <cstdint>
#include <cstdlib>
#include <memory>
#include <vector>

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

inline uint64_t digit(int code) { return code == INT_MIN ? 0 : static_cast<uint64_t>(code); }

// Mixed-radix number of a line's codes; digit 0 stands for missing.
class KeySpace {
 public:
  explicit KeySpace(std::vector<Key> keys) : keys_(std::move(keys)) {
    for (const Key& key : keys_) {
      if (__builtin_mul_overflow(size_, key.size + 1, &size_)) {
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
      const Number radix = static_cast<Number>(key.size + 1);
      const int* codes = key.codes + from;
      if (key.lookup != nullptr) {
        for (std::size_t i = 0; i < n; ++i) {
          // A missing day, and any outside the lookup, is no day of it.
          const int64_t at = int64_t{codes[i]} - key.first;
          const int code = at < 0 || at >= key.days ? 0 : key.lookup[at];
          out[i] = out[i] * radix + static_cast<Number>(digit(code));
        }
      } else {
        for (std::size_t i = 0; i < n; ++i) out[i] = out[i] * radix + static_cast<Number>(digit(codes[i]));
      }
    }
  }

  // The codes of one number, last key first taken off; 0 stays for missing.
  void decode(uint64_t number, int* out) const {
    for (std::size_t k = keys_.size(); k-- > 0;) {
      const uint64_t radix = keys_[k].size + 1;
      out[k] = static_cast<int>(number % radix);
      number /= radix;
    }
  }

 private:
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
  Slots() : table_(1024, kNone) {}

  uint32_t find(uint64_t number) {
    uint64_t at = mix(number) & (table_.size() - 1);
    while (table_[at] != kNone && numbers_[table_[at]] != number) at = (at + 1) & (table_.size() - 1);
    if (table_[at] != kNone) return table_[at];
    const uint32_t slot = table_[at] = static_cast<uint32_t>(numbers_.size());
    numbers_.push_back(number);
    if (numbers_.size() * 2 > table_.size()) grow();
    return slot;
  }

  std::size_t size() const { return numbers_.size(); }
  uint64_t number(std::size_t slot) const { return numbers_[slot]; }

 private:
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
  const double* units = nullptr;
  const int* whole = nullptr;
  const int64_t* tallied = nullptr;
  const int64_t* lines = nullptr;
  const int* mask = nullptr;  // R logical; null for every line
};

// One group's running result for one measure. `counted` tells the groups that had nothing to take.
struct Cell {
  int64_t value;
  int64_t counted;
};

inline void put(Cell& cell, Kind kind, int64_t units, int64_t lines) {
  switch (kind) {
    case Kind::sum:
    case Kind::count: cell.value = money::add(cell.value, units); break;
    case Kind::smallest: if (cell.counted == 0 || units < cell.value) cell.value = units; break;
    case Kind::largest: if (cell.counted == 0 || units > cell.value) cell.value = units; break;
  }
  cell.counted += lines;
}

// Takes `n` lines from `from` on; `at[i]` is the cell of line from + i.
template <typename Place>
void take(const Amount& amount, std::size_t from, std::size_t n, const Place* at, Cell* cells) {
  const int* mask = amount.mask == nullptr ? nullptr : amount.mask + from;
  if (amount.kind == Kind::sum && amount.whole != nullptr && mask == nullptr) {
    // Integers cannot overflow 64 bits in any number of lines that R can hold.
    const int* whole = amount.whole + from;
    for (std::size_t i = 0; i < n; ++i) {
      if (whole[i] == INT_MIN) continue;
      Cell& cell = cells[at[i]];
      cell.value += whole[i];
      ++cell.counted;
    }
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
    put(cells[at[i]], amount.kind, units, lines);
  }
}

// Memory that the system gives as zeros when it is first touched.
template <typename T>
class Zeros {
 public:
  explicit Zeros(std::size_t n) : data_(static_cast<T*>(std::calloc(n > 0 ? n : 1, sizeof(T))), std::free) {
    if (!data_) throw std::bad_alloc();
  }
  T* get() const { return data_.get(); }

 private:
  std::unique_ptr<T, void (*)(void*)> data_;
};

// Groups in order of their numbers or of appearance, and a cell per group and measure.
struct Groups {
  std::vector<uint64_t> numbers;
  std::vector<std::vector<Cell>> cells;
};

class Tally {
 public:
  Tally(KeySpace keys, std::vector<Amount> amounts) : keys_(std::move(keys)), amounts_(std::move(amounts)) {}

  // Arrays where they are not much larger than the lines themselves.
  bool dense(std::size_t lines) const {
    const uint64_t bytes = keys_.size() > (uint64_t{1} << 32) ? UINT64_MAX : keys_.size() * (sizeof(Cell) * amounts_.size() + 1);
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
  // A measure that takes every line tells by its counts which groups there are; else a mark does.
  bool needs_mark() const {
    for (const Amount& amount : amounts_) {
      if (amount.mask == nullptr && amount.units == nullptr && amount.whole == nullptr && amount.tallied == nullptr) return false;
    }
    return true;
  }

  template <typename Pause>
  Groups run_dense(std::size_t lines, int count, Pause pause) const {
    const std::size_t space = keys_.size(), width = amounts_.size();
    std::vector<Zeros<Cell>> cells;
    std::vector<Zeros<unsigned char>> marks;
    for (int t = 0; t < count; ++t) {
      cells.emplace_back(space * width);
      marks.emplace_back(space);
    }
    const bool mark = needs_mark();
    threads::each(count, [&](int t) {
      Cell* mine = cells[t].get();
      unsigned char* seen = marks[t].get();
      std::vector<uint32_t> at(kBlock);
      std::size_t blocks = 0;
      const std::size_t end = lines * (t + 1) / count;
      for (std::size_t from = lines * t / count; from < end; from += kBlock) {
        const std::size_t n = std::min(kBlock, end - from);
        keys_.encode(from, n, at.data());
        for (std::size_t m = 0; m < width; ++m) take(amounts_[m], from, n, at.data(), mine + m * space);
        if (mark) for (std::size_t i = 0; i < n; ++i) seen[at[i]] = 1;
        if (t == 0 && ++blocks % kPause == 0) pause();
      }
    });
    // Groups of each range of the space, then their cells, thread by thread.
    const int parts = threads::useful(space, count);
    std::vector<std::vector<uint64_t>> found(parts);
    threads::each(parts, [&](int p) {
      for (std::size_t g = space * p / parts; g < space * (p + 1) / parts; ++g) {
        bool here = false;
        for (int t = 0; t < count && !here; ++t) {
          here = marks[t].get()[g] != 0;
          for (std::size_t m = 0; m < width && !here; ++m) here = cells[t].get()[m * space + g].counted > 0;
        }
        if (here) found[p].push_back(g);
      }
    });
    Groups groups;
    for (const auto& part : found) groups.numbers.insert(groups.numbers.end(), part.begin(), part.end());
    groups.cells.assign(width, std::vector<Cell>(groups.numbers.size(), Cell{0, 0}));
    threads::ranges(groups.numbers.size(), count, [&](std::size_t from, std::size_t to) {
      for (std::size_t m = 0; m < width; ++m) {
        for (std::size_t g = from; g < to; ++g) {
          for (int t = 0; t < count; ++t) {
            const Cell& cell = cells[t].get()[m * space + groups.numbers[g]];
            if (cell.counted > 0) put(groups.cells[m][g], amounts_[m].kind, cell.value, cell.counted);
          }
        }
      }
    });
    return groups;
  }

  template <typename Pause>
  Groups run_hashed(std::size_t lines, int count, Pause pause) const {
    const std::size_t width = amounts_.size();
    std::vector<Slots> slots(count);
    std::vector<std::vector<std::vector<Cell>>> cells(count, std::vector<std::vector<Cell>>(width));
    threads::each(count, [&](int t) {
      std::vector<uint64_t> numbers(kBlock);
      std::vector<uint32_t> at(kBlock);
      std::size_t blocks = 0;
      for (std::size_t from = 0; from < lines; from += kBlock) {
        const std::size_t n = std::min(kBlock, lines - from);
        keys_.encode(from, n, numbers.data());
        // Other threads' groups go to a cell past the end that nobody reads.
        for (std::size_t i = 0; i < n; ++i) {
          const bool mine = count == 1 || static_cast<int>((mix(numbers[i]) >> 40) % count) == t;
          at[i] = mine ? slots[t].find(numbers[i]) + 1 : 0;
        }
        for (std::size_t m = 0; m < width; ++m) {
          cells[t][m].resize(slots[t].size() + 1, Cell{0, 0});
          cells[t][m][0] = Cell{0, 0};
          take(amounts_[m], from, n, at.data(), cells[t][m].data());
        }
        if (t == 0 && ++blocks % kPause == 0) pause();
      }
    });
    Groups groups;
    groups.cells.resize(width);
    for (int t = 0; t < count; ++t) {
      for (std::size_t s = 0; s < slots[t].size(); ++s) groups.numbers.push_back(slots[t].number(s));
      for (std::size_t m = 0; m < width; ++m) {
        if (!cells[t][m].empty()) groups.cells[m].insert(groups.cells[m].end(), cells[t][m].begin() + 1, cells[t][m].end());
        cells[t][m] = {};
      }
    }
    return groups;
  }

  KeySpace keys_;
  std::vector<Amount> amounts_;
};

}  // namespace tally
