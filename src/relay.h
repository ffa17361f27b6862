// The wanted fields of a block's records, passed on: text as codes, numbers and days as lines of plain text that any
// reader understands.
#pragma once
#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <memory>
#include <string>
#include <vector>

#include "records.h"

namespace relay {

// The next field, without its quotes; gives what follows it.
inline const char* field(const char* at, const char* end, const records::Marks& marks, std::string& out) {
  out.clear();
  if (at < end && *at == '"') {
    for (++at; at < end; ++at) {
      if (*at == '"') {
        ++at;
        if (at == end || *at != '"') break;
      }
      out += *at;
    }
  }
  for (; at < end && *at != marks.delimiter && !records::line_end(*at); ++at) out += *at;
  return at;
}

inline const char* behind_line_end(const char* at, const char* end) {
  if (at < end && *at == '\r' && at + 1 < end && at[1] == '\n') ++at;
  return at < end ? at + 1 : at;
}

// The fields of the first record that is not an empty line, and what follows it.
inline const char* first_record(const char* at, const char* end, const records::Marks& marks,
                                std::vector<std::string>& fields) {
  while (at < end && records::line_end(*at)) at = behind_line_end(at, end);
  std::string one;
  while (at < end) {
    at = field(at, end, marks, one);
    fields.push_back(one);
    if (at == end || *at != marks.delimiter) break;
    ++at;
    if (at == end) fields.push_back("");
  }
  return behind_line_end(at, end);
}

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
    const std::uint64_t hash = hash_of(at, n);
    std::size_t place = hash >> shift_;
    for (; table_[place].code != 0; place = (place + 1) & (table_.size() - 1)) {
      const Entry& entry = table_[place];
      if (entry.hash == hash && entry.length == n && same(bytes_.data() + entry.start, at, n)) return entry.code;
    }
    table_[place] = {hash, used_, n, size() + 1};
    starts_.push_back(used_);
    bytes_.resize(std::max(bytes_.size(), used_ + n + records::kBehind));
    if (n > 0) std::memcpy(&bytes_[used_], at, n);
    used_ += n;
    if (starts_.size() * 2 > table_.size()) grow();
    return size();
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
  struct Entry {
    std::uint64_t hash = 0;
    std::size_t start = 0, length = 0;
    int code = 0;
  };
  static bool same(const char* a, const char* b, std::size_t n) {
    for (; n > 8; a += 8, b += 8, n -= 8) {
      if (word_at(a) != word_at(b)) return false;
    }
    return first_of(word_at(a) ^ word_at(b), n) == 0;
  }
  static std::uint64_t hash_of(const char* at, std::size_t n) {
    std::uint64_t hash = n;
    for (; n > 8; at += 8, n -= 8) hash = mixed(hash ^ word_at(at));
    return mixed(hash ^ first_of(word_at(at), n));
  }
  static std::uint64_t mixed(std::uint64_t x) {
    return (x ^ x >> 32) * 0x9E3779B97F4A7C15u;
  }
  void grow() {
    std::vector<Entry> larger(table_.size() * 2);
    --shift_;
    for (const Entry& entry : table_) {
      if (entry.code == 0) continue;
      std::size_t place = entry.hash >> shift_;
      while (larger[place].code != 0) place = (place + 1) & (larger.size() - 1);
      larger[place] = entry;
    }
    table_.swap(larger);
  }

  // The highest bits of a hash, which all of the text has a part in, are the place in the table.
  int shift_ = 56;
  std::vector<Entry> table_;
  std::vector<std::size_t> starts_;
  std::string bytes_;
  std::size_t used_ = 0;
};

// Behind every field that is passed on as it stands; numbers and days hold none.
constexpr char kBetween = '|';

// What becomes of each of the heading's columns: the number of a text from 0, or one of these.
constexpr int kNowhere = -1, kPlain = -2;

class Passer {
 public:
  Passer(const records::Marks& marks, const std::vector<int>& where, std::size_t texts)
      : marks_(marks), where_(where), texts_(texts), codes_(texts) {}

  // About so many records are to come.
  void expect(std::size_t records) {
    for (std::vector<int>& codes : codes_) codes.reserve(records);
  }

  // From the start of a record to the end of one; false where a record has not as many fields as the heading.
  bool pass(const char* at, const char* end) {
    // A field takes no more room than it took with what stands behind it; a record has a line feed besides.
    plain_.reset(new char[2 * static_cast<std::size_t>(end - at) + records::kBehind]);
    std::string one;
    while (at < end) {
      at = pass_plain(at, end);
      if (at == nullptr) return false;
      if (at == end) break;
      if (records::line_end(*at)) {
        at = behind_line_end(at, end);
        continue;
      }
      std::size_t found = 0;
      for (;; ++at) {
        at = field(at, end, marks_, one);
        const std::size_t n = one.size();
        one.append(records::kBehind, '\0');
        take(found++, one.data(), n);
        if (at == end || *at != marks_.delimiter) break;
      }
      if (!end_record(found)) return false;
      at = behind_line_end(at, end);
    }
    return true;
  }
  std::size_t records() const { return records_; }
  const char* plain() const { return plain_.get(); }
  std::size_t plain_size() const { return written_; }
  Texts& texts(std::size_t k) { return texts_[k]; }
  const std::vector<int>& codes(std::size_t k) const { return codes_[k]; }

 private:
  void take(std::size_t column, const char* at, std::size_t n) {
    const int to = column < where_.size() ? where_[column] : kNowhere;
    if (to >= 0) {
      codes_[to].push_back(texts_[to].code(at, n));
    } else if (to == kPlain) {
      char* out = plain_.get() + written_;
      // What is written behind a short field is written over.
      if (n <= 16) std::memcpy(out, at, 16);
      else std::memcpy(out, at, n);
      out[n] = kBetween;
      written_ += n + 1;
    }
  }
  bool end_record(std::size_t found) {
    plain_[written_++] = '\n';
    ++records_;
    return found == where_.size();
  }

  // Records without quotes and carriage returns; gives the start of the first that has some, or has no line feed at its
  // end, and nullptr where one has not as many fields as the heading.
  const char* pass_plain(const char* at, const char* end) {
    const char *start = at, *from = at;
    std::size_t found = 0, written = written_;
    for (const char* block = at; block < end; block += 64) {
      const records::Seen64 seen = records::look64(block, end, marks_.delimiter);
      if (seen.others != 0) break;
      for (std::uint64_t left = seen.delimiters | seen.feeds; left != 0; left &= left - 1) {
        const int k = __builtin_ctzll(left);
        const char* to = block + k;
        const bool last = (seen.feeds >> k & 1) != 0;
        if (last && to == start) {
          start = from = to + 1;
          continue;
        }
        take(found++, from, static_cast<std::size_t>(to - from));
        from = to + 1;
        if (!last) continue;
        if (!end_record(found)) return nullptr;
        start = from;
        found = 0;
        written = written_;
      }
    }
    // What was taken of a record that is not plain is taken again.
    written_ = written;
    for (std::vector<int>& codes : codes_) codes.resize(records_);
    return start;
  }

  const records::Marks marks_;
  const std::vector<int> where_;
  std::vector<Texts> texts_;
  std::vector<std::vector<int>> codes_;
  std::unique_ptr<char[]> plain_;
  std::size_t written_ = 0, records_ = 0;
};

}  // namespace relay
