// The grammar of delimited text (RFC 4180): its records and fields, shown one after another to whoever counts or reads
// them.
#pragma once
#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#if defined(__SSE2__)
#include <emmintrin.h>
#endif

namespace records {

// A piece of a block; two of them have room in the cache next to the processor.
constexpr std::size_t kPiece = std::size_t{1} << 17;

// So many bytes are looked at together for records that are alike.
constexpr std::ptrdiff_t kUnit = std::ptrdiff_t{1} << 15;

// Bytes that may be read behind the end of a block, the first of which is a line end.
constexpr std::size_t kBehind = 80;

struct Marks {
  char delimiter, decimal;
};

inline bool line_end(char c) { return c == '\n' || c == '\r'; }

// Where in the next 64 bytes each of these is, a bit for each place.
struct Seen64 {
  std::uint64_t delimiters, feeds, returns, quotes;
};

inline std::uint64_t first_bits(std::ptrdiff_t n) { return n < 64 ? (std::uint64_t{1} << n) - 1 : ~std::uint64_t{0}; }

inline Seen64 look64(const char* at, const char* end, char delimiter) {
  Seen64 out{0, 0, 0, 0};
#if defined(__SSE2__)
  const __m128i part = _mm_set1_epi8(delimiter), feed = _mm_set1_epi8('\n'), back = _mm_set1_epi8('\r'),
                quote = _mm_set1_epi8('"');
#pragma GCC unroll 4
  for (int k = 0; k < 4; ++k) {
    const __m128i bytes = _mm_loadu_si128(reinterpret_cast<const __m128i*>(at + 16 * k));
    const auto mask = [&](__m128i wanted) {
      const int found = _mm_movemask_epi8(_mm_cmpeq_epi8(bytes, wanted));
      return static_cast<std::uint64_t>(static_cast<std::uint32_t>(found)) << (16 * k);
    };
    out.delimiters |= mask(part);
    out.feeds |= mask(feed);
    out.returns |= mask(back);
    out.quotes |= mask(quote);
  }
#else
  for (int k = 0; k < 64; ++k) {
    const std::uint64_t bit = std::uint64_t{1} << k;
    if (at[k] == delimiter) out.delimiters |= bit;
    if (at[k] == '\n') out.feeds |= bit;
    if (at[k] == '\r') out.returns |= bit;
    if (at[k] == '"') out.quotes |= bit;
  }
#endif
  if (end - at < 64) {
    const std::uint64_t held = first_bits(end - at);
    out = {out.delimiters & held, out.feeds & held, out.returns & held, out.quotes & held};
  }
  return out;
}

// Carriage returns that no line feed follows: line ends of their own.
inline std::uint64_t lone_returns(const Seen64& seen, const char* block, const char* end) {
  std::uint64_t lone = seen.returns & ~(seen.feeds >> 1);
  if (lone >> 63 != 0 && block + 64 < end && block[64] == '\n') lone &= ~(std::uint64_t{1} << 63);
  return lone;
}

// The places inside quotes, an opening quote among them, and whether the next 64 bytes begin inside: `inside` is all
// ones for yes.
inline std::uint64_t within_quotes(std::uint64_t quotes, std::uint64_t& inside) {
  for (int shift = 1; shift < 64; shift *= 2) quotes ^= quotes << shift;
  quotes ^= inside;
  inside = quotes >> 63 != 0 ? ~std::uint64_t{0} : 0;
  return quotes;
}

// How many bits are set: not every processor that this is compiled for can tell at once.
inline std::size_t bits_in(std::uint64_t x) {
  x -= x >> 1 & 0x5555555555555555u;
  x = (x & 0x3333333333333333u) + (x >> 2 & 0x3333333333333333u);
  x = (x + (x >> 4)) & 0x0f0f0f0f0f0f0f0fu;
  return x * 0x0101010101010101u >> 56;
}

// What the quotes of a record are like.
struct Quotes {
  bool stray = false;        // a quote inside a field, or text behind a closing one
  bool open = false;         // nothing closes the last one
  std::size_t ends = 0;      // line ends inside quotes,
  std::size_t open_ends = 0; // and how many of them are in front of the quote that nothing closes
};

// Behind the line end at `at`.
inline const char* behind_line_end(const char* at, const char* end) {
  if (at < end && *at == '\r' && at + 1 < end && at[1] == '\n') ++at;
  return at < end ? at + 1 : at;
}

// A visitor has
//   void field(std::size_t k, const char* from, const char* to, bool doubled)
//     the k-th field (from 0) without the quotes around it; `doubled` if quotes inside are written twice
//   bool record(const char* start, const char* to, std::size_t fields, const Quotes& quotes)
//     behind the fields of a record, or for an empty line, which starts where it ends; false ends the walk

// One record of any kind; gives what follows it, nullptr if the visitor ends the walk.
template <typename Visitor>
const char* walk_record(const char* at, const char* end, char delimiter, Visitor& to) {
  const char* const start = at;
  Quotes quotes;
  std::size_t found = 0;
  for (bool more = !line_end(*at); more; ++found) {
    const char *from = at, *stop = nullptr;
    bool doubled = false;
    if (at < end && *at == '"') {
      from = ++at;
      const std::size_t before = quotes.ends;
      for (; at < end; ++at) {
        if (*at == '"') {
          if (at + 1 == end || at[1] != '"') break;
          doubled = true;
          ++at;
        } else if (*at == '\n' || (*at == '\r' && (at + 1 == end || at[1] != '\n'))) {
          ++quotes.ends;
        }
      }
      stop = at;
      if (at == end) {
        quotes.open = true;
        quotes.open_ends = before;
      } else {
        ++at;
        if (at < end && *at != delimiter && !line_end(*at)) quotes.stray = true;
      }
    }
    for (; at < end && *at != delimiter && !line_end(*at); ++at) quotes.stray = quotes.stray || *at == '"';
    to.field(found, from, stop == nullptr ? at : stop, doubled);
    more = at < end && *at == delimiter;
    if (more) ++at;
  }
  return to.record(start, at, found, quotes) ? behind_line_end(at, end) : nullptr;
}

// How many quotes there are; kBehind bytes may be read behind them.
inline std::size_t quotes_in(const char* from, const char* to) {
  std::size_t count = 0;
  for (; from < to; from += 64) {
    const std::uint64_t quotes = look64(from, to, '"').delimiters;
    if (quotes != 0) count += bits_in(quotes);
  }
  return count;
}

// Records that are alike: of as many fields each, every line ends in a line feed, and quotes are around fields only.
// They are found 64 bytes at a time, and their values can be taken column by column.
class Alike {
 public:
  Alike() : ends_(new std::uint32_t[kUnit + 65]) {}

  // Those that are whole from `at` to `to`, at most kUnit bytes behind it; bytes follow up to `end`. False if they are
  // not alike, or if there is none.
  bool find(const char* at, const char* to, const char* end, char delimiter, std::size_t fields) {
    start_ = at;
    fields_ = fields;
    returns_ = quoted_ = false;
    std::size_t found = 0, feeds = 0;
    // Whether the byte before is inside quotes, ends a field, or closes one with a quote.
    std::uint64_t inside = 0, ended = 1, closed = 0;
    ends_[0] = ~std::uint32_t{0};
    for (const char* block = at; block < to; block += 64) {
      const Seen64 seen = look64(block, to, delimiter);
      std::uint64_t left = seen.delimiters | seen.feeds;
      if (seen.returns != 0) {
        if (lone_returns(seen, block, end) != 0) return false;
        returns_ = true;
      }
      if ((seen.quotes | inside | closed) != 0) {
        const std::uint64_t within = within_quotes(seen.quotes, inside), closing = seen.quotes & ~within;
        left &= ~within;
        // Quotes are all around fields, and nothing else is in front of them or behind them.
        const std::uint64_t stray = (seen.quotes & within & ~(left << 1 | ended)) |
          ((closing << 1 | closed) & ~(left | seen.returns) & first_bits(to - block));
        if ((stray | (seen.feeds & within)) != 0) return false;
        closed = closing >> 63;
        quoted_ = true;
      }
      ended = left >> 63;
      feeds += bits_in(seen.feeds);
      found = put(left, static_cast<std::uint32_t>(block - at), found);
    }
    while (found > 0 && *sep(found) != '\n') --found;
    if (found == 0 || found % fields != 0 || found / fields != feeds) return false;
    records_ = feeds;
    end_ = sep(found) + 1;
    for (std::size_t r = 1; r <= records_; ++r) {
      if (*sep(r * fields) != '\n') return false;
    }
    return fields > 1 || none_empty();
  }
  std::size_t records() const { return records_; }
  const char* end() const { return end_; }

  // use(from, to) for the k-th field of each record, without the quotes around it.
  template <typename Use>
  void each(std::size_t k, Use use) const {
    const bool cut = returns_ && k + 1 == fields_;
    const std::uint32_t* ends = ends_.get() + k;
    for (std::size_t r = 0; r < records_; ++r, ends += fields_) {
      const char *from = start_ + (ends[0] + 1), *to = start_ + ends[1];
      if (cut && to > from && to[-1] == '\r') --to;
      if (quoted_ && from < to && *from == '"') {
        ++from;
        --to;
      }
      use(from, to);
    }
  }

 private:
  const char* sep(std::size_t k) const { return start_ + ends_[k]; }

  // The places of bits, eight at a time: what is written behind the last one is written over.
  std::size_t put(std::uint64_t left, std::uint32_t offset, std::size_t found) {
    const std::size_t n = bits_in(left);
    for (std::uint32_t* to = ends_.get() + found + 1; left != 0; to += 8) {
#pragma GCC unroll 8
      for (int k = 0; k < 8; ++k) {
        to[k] = offset + static_cast<std::uint32_t>(__builtin_ctzll(left | std::uint64_t{1} << 63));
        left &= left - 1;
      }
    }
    return found + n;
  }
  // An empty line is not a record.
  bool none_empty() const {
    bool out = true;
    each(0, [&](const char* from, const char* to) { out = out && from < to; });
    return out;
  }

  std::unique_ptr<std::uint32_t[]> ends_;  // of each field, from `start_`, behind one that ends in front of it
  const char *start_ = nullptr, *end_ = nullptr;
  std::size_t fields_ = 0, records_ = 0;
  bool returns_ = false, quoted_ = false;
};

// Behind the last record that ends with a line feed, given whether the end lies inside quotes; `data` where there is
// none.
inline const char* last_record_end(const char* data, const char* end, bool inside) {
  while (end > data) {
    --end;
    if (*end == '"') inside = !inside;
    if (*end == '\n' && !inside) return end + 1;
  }
  return data;
}

// All records from the start of one that are whole before `end`, the last one without a line end if nothing follows it
// (`last`); kBehind bytes may be read behind it. Gives what follows them, nullptr if the visitor ended the walk. The
// visitor also has
//   std::size_t fields() const         how many a record should have, 0 if that is not known
//   bool records(const Alike& alike)   in place of the fields and ends of records that are alike
template <typename Visitor>
const char* walk(const char* at, const char* end, bool last, char delimiter, Visitor& to) {
  Alike alike;
  const char* whole = last ? end : nullptr;
  while (at < end) {
    const char* const unit = at + std::min(end - at, kUnit);
    if (to.fields() > 0 && alike.find(at, unit, end, delimiter, to.fields())) {
      if (!to.records(alike)) return nullptr;
      at = alike.end();
      continue;
    }
    if (whole == nullptr) whole = last_record_end(at, end, quotes_in(at, end) % 2 == 1);
    while (at < unit) {
      if (at >= whole) return at;
      at = walk_record(at, whole, delimiter, to);
      if (at == nullptr) return nullptr;
    }
  }
  return at;
}

// Writes a quote for each two, and no more than that.
inline void undouble(const char* from, const char* to, std::string& out) {
  out.clear();
  for (; from < to; ++from) {
    out += *from;
    if (*from == '"') ++from;
  }
}

// Takes the fields of one record that is not an empty line.
class Heading {
 public:
  void field(std::size_t k, const char* from, const char* to, bool doubled) {
    names.resize(k + 1);
    if (doubled) undouble(from, to, names[k]);
    else names[k].assign(from, to);
  }
  bool record(const char*, const char*, std::size_t fields, const Quotes&) { return fields > 0; }
  std::vector<std::string> names;
};

// The fields of the first record that is not an empty line, and what follows it.
inline const char* first_record(const char* at, const char* end, char delimiter, std::vector<std::string>& fields) {
  while (at < end && line_end(*at)) at = behind_line_end(at, end);
  Heading heading;
  if (at < end) at = walk_record(at, end, delimiter, heading);
  fields.swap(heading.names);
  return at;
}

// How many lines end outside quotes, empty ones among them: a count that knows nothing of fields.
inline std::size_t lines_outside(const char* at, const char* end) {
  if (at == end) return 0;
  std::size_t count = line_end(end[-1]) ? 0 : 1;
  std::uint64_t inside = 0;
  for (const char* block = at; block < end; block += 64) {
    const Seen64 seen = look64(block, end, '\n');
    std::uint64_t ends = seen.feeds | (seen.returns == 0 ? 0 : lone_returns(seen, block, end));
    if ((seen.quotes | inside) != 0) ends &= ~within_quotes(seen.quotes, inside);
    count += bits_in(ends);
  }
  return count;
}

// The start of the first record at or behind `from`, given whether `from` lies inside quotes.
inline const char* record_start(const char* from, const char* end, bool inside) {
  for (; from < end; ++from) {
    if (*from == '"') inside = !inside;
    if (*from == '\n' && !inside) return from + 1;
  }
  return end;
}

}  // namespace records
