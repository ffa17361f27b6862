// Texts of a file by their bytes, each held once.
#pragma once
#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <string>
#include <vector>

#include "records.h"

namespace relay {

// Eight bytes, and of these the first n only.
inline std::uint64_t word_at(const char* at) {
  std::uint64_t word;
  std::memcpy(&word, at, 8);
  return word;
}
inline std::uint64_t first_of(std::uint64_t word, std::size_t n) {
#if defined(__BYTE_ORDER__) && __BYTE_ORDER__ == __ORDER_BIG_ENDIAN__
  return n == 0 ? 0 : word >> (64 - 8 * n);
#else
  return n == 0 ? 0 : word << (64 - 8 * n);
#endif
}

// Texts by their bytes, numbered from 1 by first appearance. kBehind bytes (see records.h) may be read behind a text.
class Texts {
 public:
  Texts() : table_(256), bytes_(records::kBehind, '\0') {}

  int code(const char* at, std::size_t n) {
    const Start start = start_of(at, n);
    std::size_t place = hash_of(start, at, n) >> shift_;
    for (; table_[place].code != 0; place = (place + 1) & (table_.size() - 1)) {
      const Entry& entry = table_[place];
      // A short text is all start: nothing else need be looked at.
      if (entry.start.first == start.first && entry.start.second == start.second && entry.length == n &&
          (n <= kStart || std::memcmp(bytes_.data() + starts_[entry.code - 1], at, n) == 0)) return entry.code;
    }
    return append(place, start, at, n);
  }
  int size() const { return static_cast<int>(starts_.size()); }
  const char* text(int code) const { return bytes_.data() + starts_[code - 1]; }
  std::size_t length(int code) const { return (code < size() ? starts_[code] : used_) - starts_[code - 1]; }

  // The codes here of another's texts.
  std::vector<int> codes_of(const Texts& other) {
    std::vector<int> out;
    for (int k = 1; k <= other.size(); ++k) out.push_back(code(other.text(k), other.length(k)));
    return out;
  }

 private:
  // The first sixteen bytes, nothing behind a shorter text's end.
  struct Start {
    std::uint64_t first = 0, second = 0;
  };
  struct Entry {
    Start start;
    std::size_t length = 0;
    int code = 0;
  };
  static constexpr std::size_t kStart = 16;

  static Start start_of(const char* at, std::size_t n) {
    const std::size_t first = std::min<std::size_t>(n, 8), second = std::min<std::size_t>(n - first, 8);
    return {first_of(word_at(at), first), first_of(word_at(at + 8), second)};
  }
  static std::uint64_t hash_of(const Start& start, const char* at, std::size_t n) {
    std::uint64_t hash = mixed(mixed(start.first ^ n) ^ start.second);
    for (std::size_t k = kStart; k < n; k += 8) {
      hash = mixed(hash ^ first_of(word_at(at + k), std::min<std::size_t>(n - k, 8)));
    }
    return hash;
  }
  static std::uint64_t mixed(std::uint64_t x) {
    return (x ^ x >> 32) * 0x9E3779B97F4A7C15u;
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
  std::vector<Entry> table_;
  std::vector<std::size_t> starts_;
  std::string bytes_;
  std::size_t used_ = 0;
};

}  // namespace relay
