// Texts of a file by their bytes, each held once.
#pragma once
#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <string>
#include <vector>

#include "records.h"
#include "seed.h"

namespace relay {

// The start of a text is looked at as two words, whatever its length.
constexpr std::size_t kStart = 16;

// Bits that keep kStart bytes, and then bits that keep none.
constexpr char kKept[2 * kStart + 1] = "\xff\xff\xff\xff\xff\xff\xff\xff\xff\xff\xff\xff\xff\xff\xff\xff";

inline std::uint64_t word_at(const char* at) {
  std::uint64_t word;
  std::memcpy(&word, at, 8);
  return word;
}

// Texts by their bytes, numbered from 1 by first appearance. kBehind bytes (see records.h) may be read behind a text.
class Texts {
 public:
  Texts() : table_(256), bytes_(records::kBehind, '\0') {}

  int code(const char* at, std::size_t n) {
    const Start start = start_of(at, n);
    const std::uint64_t hash = hash_of(start, at, n);
    const Entry& entry = table_[hash >> shift_];
    // A short text is all start: nothing else need be looked at.
    if (n <= kStart && entry.is(start, n)) return entry.code;
    return look_up(hash, start, at, n);
  }
  int size() const { return static_cast<int>(starts_.size()); }
  const char* text(int code) const { return bytes_.data() + starts_[code - 1]; }
  std::size_t length(int code) const { return (code < size() ? starts_[code] : used_) - starts_[code - 1]; }

 private:
  // The first kStart bytes, nothing behind a shorter text's end.
  struct Start {
    std::uint64_t first = 0, second = 0;
  };
  struct Entry {
    Start start;
    std::size_t length = 0;
    int code = 0;  // 0 if there is none
    bool is(const Start& of, std::size_t n) const {
      return start.first == of.first && start.second == of.second && length == n && code != 0;
    }
  };

  static Start start_of(const char* at, std::size_t n) {
    const char* const mask = kKept + kStart - std::min(n, kStart);
    return {word_at(at) & word_at(mask), word_at(at + 8) & word_at(mask + 8)};
  }
  std::uint64_t hash_of(const Start& start, const char* at, std::size_t n) const {
    std::uint64_t hash = mixed(mixed(start.first ^ n) ^ start.second);
    for (std::size_t k = kStart; k < n; k += kStart) {
      const Start more = start_of(at + k, n - k);
      hash = mixed(mixed(hash ^ more.first) ^ more.second);
    }
    return hash;
  }
  std::uint64_t mixed(std::uint64_t x) const { return (x ^ x >> 32) * by_; }
  // Out of line, so that the loops that call code() stay short.
  __attribute__((noinline)) int look_up(std::uint64_t hash, const Start& start, const char* at, std::size_t n) {
    std::size_t place = hash >> shift_;
    for (; table_[place].code != 0; place = (place + 1) & (table_.size() - 1)) {
      const Entry& entry = table_[place];
      if (entry.is(start, n) && (n <= kStart || std::memcmp(text(entry.code), at, n) == 0)) return entry.code;
    }
    return append(place, start, at, n);
  }
  int append(std::size_t place, const Start& start, const char* at, std::size_t n) {
    starts_.push_back(used_);
    table_[place] = {start, n, size()};
    bytes_.resize(std::max(bytes_.size(), used_ + n + records::kBehind));
    if (n > 0) std::memcpy(&bytes_[used_], at, n);
    used_ += n;
    if (starts_.size() * 2 > table_.size()) grow();
    return size();
  }
  void grow() {
    std::vector<Entry> larger(table_.size() * 2);
    --shift_;
    for (const Entry& entry : table_) {
      if (entry.code == 0) continue;
      std::size_t place = hash_of(entry.start, text(entry.code), entry.length) >> shift_;
      while (larger[place].code != 0) place = (place + 1) & (larger.size() - 1);
      larger[place] = entry;
    }
    table_.swap(larger);
  }

  // The place in the table is the highest bits of the hash, which depend on the whole text.
  int shift_ = 56;
  std::uint64_t by_ = seed::odd();
  std::vector<Entry> table_;
  std::vector<std::size_t> starts_;
  std::string bytes_;
  std::size_t used_ = 0;
};

// The texts of several threads, numbered from 1 in the order in which they are added. Each thread has codes of its own;
// those of the first thread get all texts.
class AllTexts {
 public:
  explicit AllTexts(Texts& first) : first_(&first) {}

  // Adds a thread's texts up to code n; `numbers` has the number of each code that was added before.
  void add(const Texts& of, std::size_t n, std::vector<int>& numbers) {
    while (numbers.size() < n) {
      const int own = static_cast<int>(numbers.size()) + 1;
      const int code = &of == first_ ? own : first_->code(of.text(own), of.length(own));
      if (static_cast<std::size_t>(code) > numbers_.size()) numbers_.resize(code);
      int& number = numbers_[code - 1];
      if (number == 0) {
        codes_.push_back(code);
        number = size();
      }
      numbers.push_back(number);
    }
  }
  int size() const { return static_cast<int>(codes_.size()); }
  const char* text(int number) const { return first_->text(codes_[number - 1]); }
  std::size_t length(int number) const { return first_->length(codes_[number - 1]); }

 private:
  Texts* first_;
  std::vector<int> numbers_, codes_;  // by code of the first thread, 0 for none; by number
};

}  // namespace relay
