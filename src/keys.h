// Keys of lines as numbers: the number of a line's codes in the space of all combinations, block by block, and the
// slots of numbers that turn up.
#pragma once
#include <algorithm>
#include <climits>
#include <cstdint>
#include <stdexcept>
#include <vector>

#include "threads.h"
#include "seed.h"

namespace tally {

constexpr std::size_t kBlock = 2048;

// One key column: codes, and how many distinct ones there are. With a lookup the codes are days,
// counted from `first`, and the lookup holds the code of each. Without codes all lines have the first one. With rows
// (from 1) the codes of the lines are those of these rows.
struct Key {
  const int* codes;
  const int* rows;
  uint64_t size;
  const int* lookup;
  int first;
  int days;
};

// Total, missing, and then the codes.
inline uint32_t digit(int code) { return static_cast<uint32_t>(code == INT_MIN ? 0 : code) + 1; }

// Mixed-radix number of a line's codes.
class KeySpace {
 public:
  explicit KeySpace(std::vector<Key> keys) : keys_(std::move(keys)), steps_(keys_.size()) {
    for (std::size_t k = keys_.size(); k-- > 0;) {
      const uint64_t stride = size_;
      if (__builtin_mul_overflow(size_, radix(keys_[k]), &size_)) throw std::length_error("key space");
      // What each day adds to the number.
      for (int day = 0; day < keys_[k].days; ++day) {
        if (digit(keys_[k].lookup[day]) >= radix(keys_[k])) stop_unlabelled();
        steps_[k].push_back(stride * digit(keys_[k].lookup[day]));
      }
    }
  }
  uint64_t size() const { return size_; }
  std::size_t width() const { return keys_.size(); }

  // Of at most kBlock lines. A code that has no label is an error.
  template <typename Number>
  void encode(std::size_t from, std::size_t n, Number* out) const {
    std::fill(out, out + n, Number{0});
    uint64_t stride = size_;
    int near[kBlock];
    for (std::size_t k = 0; k < keys_.size(); ++k) {
      const Key& key = keys_[k];
      stride /= radix(key);
      const Number step = static_cast<Number>(stride);
      if (key.codes == nullptr) {
        for (std::size_t i = 0; i < n; ++i) out[i] += step * static_cast<Number>(digit(1));
        continue;
      }
      const int* codes = key.codes + from;
      if (key.rows != nullptr) {
        for (std::size_t i = 0; i < n; ++i) near[i] = key.codes[key.rows[from + i] - 1];
        codes = near;
      }
      if (key.lookup != nullptr) {
        const uint64_t* steps = steps_[k].data();
        const uint32_t days = static_cast<uint32_t>(key.days), first = static_cast<uint32_t>(key.first);
        for (std::size_t i = 0; i < n; ++i) {
          // A missing day, and any outside the lookup, is not a day of it.
          const uint32_t at = static_cast<uint32_t>(codes[i]) - first;
          out[i] += at < days ? static_cast<Number>(steps[at]) : step;
        }
      } else {
        const uint32_t width = static_cast<uint32_t>(radix(key));
        uint32_t over = 0;
        HINTERFELD_SIMD_OR(over)
        for (std::size_t i = 0; i < n; ++i) {
          const uint32_t own = digit(codes[i]);
          over |= own >= width;
          out[i] += step * static_cast<Number>(own);
        }
        if (over != 0) stop_unlabelled();
      }
    }
  }

  // The codes of a number that comes after another whose codes are in `out`: mostly only the last key differs.
  void decode_next(uint64_t number, uint64_t before, int* out) const {
    if (keys_.empty()) return;
    const uint64_t last = static_cast<uint64_t>(out[keys_.size() - 1]) + 1 + (number - before);
    if (number < before || last >= radix(keys_.back())) {
      decode(number, out);
    } else {
      out[keys_.size() - 1] = static_cast<int>(last) - 1;
    }
  }

  // Decodes a number, last key first; 0 for missing.
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
  [[noreturn]] static void stop_unlabelled() { throw std::out_of_range("a code without a label"); }

  std::vector<Key> keys_;
  std::vector<std::vector<uint64_t>> steps_;
  uint64_t size_ = 1;
};

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

  // Asks for what will be looked at for this number.
  void fetch(uint64_t number) const { __builtin_prefetch(table_.data() + (mix(number) & (table_.size() - 1))); }

  // The slot of a number that may not be there: kNone.
  uint32_t look_up(uint64_t number) const { return table_[place(number)]; }

  std::size_t size() const { return numbers_.size(); }
  uint64_t number(std::size_t slot) const { return numbers_[slot]; }

 private:
  uint64_t mix(uint64_t x) const {
    x ^= x >> 32;
    x *= by_;
    return x ^ (x >> 32);
  }
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

  uint64_t by_ = seed::odd();
  std::vector<uint32_t> table_;
  std::vector<uint64_t> numbers_;
};

}  // namespace tally
