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

// Behind every field that is passed on as it stands; numbers and days hold none.
constexpr char kBetween = '|';

// What becomes of each of the heading's columns: the number of a text from 0, or one of these.
constexpr int kNowhere = -1, kPlain = -2;

class Passer {
 public:
  // Of records that take at most this many bytes.
  Passer(const records::Marks& marks, const std::vector<int>& where, std::size_t texts, std::size_t bytes)
      : marks_(marks), where_(where), texts_(texts), codes_(texts),
        // A field takes no more room than it took with what stands behind it; a record also has a line feed.
        plain_(new char[2 * bytes + records::kBehind]), done_{plain_.get(), 0} {}

  // So many records are to come, and where the codes of each text go.
  void expect(std::size_t records, const std::vector<int*>& codes) {
    expected_ = records;
    codes_ = codes;
  }

  // The records of a piece from the start of one; gives the start of the first that the piece does not hold whole, and
  // nullptr where it is not what is expected. The `last` piece ends with a record, with or without a line end.
  const char* pass(const char* at, const char* end, bool last) {
    const char* whole = last ? end : nullptr;
    std::string one;
    while (at < end) {
      at = pass_plain(at, end);
      if (at == nullptr || at == end) break;
      if (whole == nullptr) whole = records::last_record_end(at, end);
      if (at >= whole) break;
      if (records::line_end(*at)) {
        at = behind_line_end(at, whole);
        continue;
      }
      std::size_t found = 0;
      for (;; ++at) {
        at = field(at, whole, marks_, one);
        const std::size_t n = one.size();
        one.append(records::kBehind, '\0');
        take(done_, found++, one.data(), n);
        if (at == whole || *at != marks_.delimiter) break;
      }
      if (!end_record(done_, found)) return nullptr;
      at = behind_line_end(at, whole);
    }
    return at;
  }
  bool complete() const { return done_.record == expected_; }
  const char* plain() const { return plain_.get(); }
  std::size_t plain_size() const { return static_cast<std::size_t>(done_.plain - plain_.get()); }
  Texts& texts(std::size_t k) { return texts_[k]; }

 private:
  // What is written of a record, and where it is the next's turn. A copy of it is what the loop over records works on.
  struct At {
    char* plain;
    std::size_t record;
  };
  void take(At& to, std::size_t column, const char* at, std::size_t n) {
    const int what = column < where_.size() ? where_[column] : kNowhere;
    if (what >= 0) {
      // There is no room for a record that was not counted.
      if (to.record < expected_) codes_[what][to.record] = texts_[what].code(at, n);
    } else if (what == kPlain) {
      // Copies 16 bytes at once; those beyond a short field are overwritten by the next one.
      if (n <= 16) std::memcpy(to.plain, at, 16);
      else std::memcpy(to.plain, at, n);
      to.plain[n] = kBetween;
      to.plain += n + 1;
    }
  }
  bool end_record(At& to, std::size_t found) {
    *to.plain++ = '\n';
    return ++to.record <= expected_ && found == where_.size();
  }

  // Records without quotes and carriage returns; gives the start of the first that has some, or has no line feed at its
  // end, and nullptr where one is not as expected. What was taken of that first one is taken again.
  const char* pass_plain(const char* at, const char* end) {
    const char *start = at, *from = at;
    std::size_t found = 0;
    At to = done_;
    for (const char* block = at; block < end; block += 64) {
      const records::Seen64 seen = records::look64(block, end, marks_.delimiter);
      if (seen.others != 0) break;
      for (std::uint64_t left = seen.delimiters | seen.feeds; left != 0; left &= left - 1) {
        const int k = __builtin_ctzll(left);
        const char* stop = block + k;
        const bool last = (seen.feeds >> k & 1) != 0;
        if (last && stop == start) {
          start = from = stop + 1;
          continue;
        }
        take(to, found++, from, static_cast<std::size_t>(stop - from));
        from = stop + 1;
        if (!last) continue;
        if (!end_record(to, found)) return nullptr;
        start = from;
        found = 0;
        done_ = to;
      }
    }
    return start;
  }

  const records::Marks marks_;
  const std::vector<int> where_;
  std::vector<Texts> texts_;
  std::vector<int*> codes_;
  std::unique_ptr<char[]> plain_;
  At done_;
  std::size_t expected_ = 0;
};

}  // namespace relay
