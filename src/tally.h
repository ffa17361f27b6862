// The tally: takes lines with coded keys and exact amounts, group by group.
//
// Keys are codes 1..size, 0 (or NA) for a missing value. A group's slot is found directly when the
// key space is small enough for arrays, by hashing otherwise; both give the same totals.
#pragma once
#include <climits>
#include <cstdint>
#include <vector>

#include "money.h"

namespace tally {

constexpr std::size_t kBlock = 4096;
constexpr uint64_t kDenseLimit = uint64_t{1} << 22;
constexpr uint32_t kNoSlot = UINT32_MAX;

// One key column: codes, and how many distinct ones there are.
struct Key {
  const int* codes;
  uint64_t size;
};

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

  void encode(std::size_t from, std::size_t n, uint64_t* out) const {
    std::fill(out, out + n, 0);
    for (const Key& key : keys_) {
      const uint64_t radix = key.size + 1;
      const int* codes = key.codes + from;
      for (std::size_t i = 0; i < n; ++i) {
        const uint64_t digit = codes[i] == INT_MIN ? 0 : static_cast<uint64_t>(codes[i]);
        out[i] = out[i] * radix + digit;
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

// Slot of each group, numbered by first appearance.
class Slots {
 public:
  explicit Slots(uint64_t space) : dense_(space <= kDenseLimit) {
    table_.assign(dense_ ? space : 1024, kNoSlot);
  }

  uint32_t find(uint64_t number) {
    if (dense_) {
      uint32_t& slot = table_[number];
      return slot != kNoSlot ? slot : slot = append(number);
    }
    uint64_t at = mix(number) & (table_.size() - 1);
    while (table_[at] != kNoSlot && numbers_[table_[at]] != number) {
      at = (at + 1) & (table_.size() - 1);
    }
    if (table_[at] != kNoSlot) return table_[at];
    const uint32_t slot = table_[at] = append(number);
    if (numbers_.size() * 2 > table_.size()) grow();
    return slot;
  }

  std::size_t size() const { return numbers_.size(); }
  uint64_t number(uint32_t slot) const { return numbers_[slot]; }

 private:
  static uint64_t mix(uint64_t x) {
    x ^= x >> 32;
    x *= 0x9E3779B97F4A7C15u;
    return x ^ (x >> 29);
  }
  uint32_t append(uint64_t number) {
    numbers_.push_back(number);
    return static_cast<uint32_t>(numbers_.size() - 1);
  }
  void grow() {
    table_.assign(table_.size() * 2, kNoSlot);
    for (uint32_t slot = 0; slot < numbers_.size(); ++slot) {
      uint64_t at = mix(numbers_[slot]) & (table_.size() - 1);
      while (table_[at] != kNoSlot) at = (at + 1) & (table_.size() - 1);
      table_[at] = slot;
    }
  }

  bool dense_;
  std::vector<uint32_t> table_;
  std::vector<uint64_t> numbers_;
};

enum class Kind { sum, count, smallest, largest };

// What one measure takes from each line: units (null for a plain count) where the mask allows.
struct Amount {
  Kind kind;
  const double* units;
  const int* mask;  // R logical; null for every line
};

// One measure's running result per slot. `counted` tells the groups that had nothing to take.
struct Measure {
  Amount amount;
  std::vector<int64_t> value;
  std::vector<int64_t> counted;

  void take(std::size_t from, const std::vector<uint32_t>& slots, std::size_t n, std::size_t groups) {
    value.resize(groups);
    counted.resize(groups);
    for (std::size_t i = 0; i < n; ++i) {
      const std::size_t line = from + i;
      if (amount.mask != nullptr && amount.mask[line] != 1) continue;
      int64_t units = 1;
      if (amount.units != nullptr) {
        if (!std::isfinite(amount.units[line])) continue;
        units = static_cast<int64_t>(amount.units[line]);
      }
      put(slots[i], units);
    }
  }

 private:
  void put(uint32_t slot, int64_t units) {
    int64_t& now = value[slot];
    const bool first = counted[slot]++ == 0;
    switch (amount.kind) {
      case Kind::sum: now = money::add(now, units); break;
      case Kind::count: ++now; break;
      case Kind::smallest: if (first || units < now) now = units; break;
      case Kind::largest: if (first || units > now) now = units; break;
    }
  }
};

class Tally {
 public:
  Tally(KeySpace keys, const std::vector<Amount>& amounts)
      : keys_(std::move(keys)), slots_(keys_.size()) {
    for (const Amount& amount : amounts) measures_.push_back({amount, {}, {}});
  }

  // `pause` is called between blocks: the place to honour an interrupt.
  template <typename Pause>
  void add(std::size_t lines, Pause pause) {
    std::vector<uint64_t> numbers(kBlock);
    std::vector<uint32_t> slots(kBlock);
    for (std::size_t from = 0; from < lines; from += kBlock) {
      const std::size_t n = std::min(kBlock, lines - from);
      keys_.encode(from, n, numbers.data());
      for (std::size_t i = 0; i < n; ++i) slots[i] = slots_.find(numbers[i]);
      for (Measure& measure : measures_) measure.take(from, slots, n, slots_.size());
      pause();
    }
  }

  std::size_t groups() const { return slots_.size(); }
  const KeySpace& keys() const { return keys_; }
  uint64_t number(uint32_t slot) const { return slots_.number(slot); }
  const std::vector<Measure>& measures() const { return measures_; }

 private:
  KeySpace keys_;
  Slots slots_;
  std::vector<Measure> measures_;
};

}  // namespace tally
