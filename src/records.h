// The grammar of delimited text (RFC 4180): its records and fields, shown one after another to whoever counts or reads
// them.
#pragma once
#include <cstddef>
#include <cstdint>
#include <string>
#include <vector>

#if defined(__SSE2__)
#include <emmintrin.h>
#endif

namespace records {

// A piece of a block; two of them have room in the cache next to the processor.
constexpr std::size_t kPiece = std::size_t{1} << 17;

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
    const std::uint64_t held = (std::uint64_t{1} << (end - at)) - 1;
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
// Fields may be shown twice, in their order, before the record that they belong to.

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

// Records 64 bytes at a time, as long as every line ends in a line feed and quotes are around fields only; gives the
// start of the first that is different.
template <typename Visitor>
const char* walk_plain(const char* at, const char* end, char delimiter, Visitor& to) {
  const char *start = at, *from = at;
  std::size_t found = 0;
  std::uint64_t inside = 0;
  int quotes = 0;  // of the field so far
  for (const char* block = at; block < end; block += 64) {
    const Seen64 seen = look64(block, end, delimiter);
    if (seen.returns != 0 && lone_returns(seen, block, end) != 0) return start;
    std::uint64_t left = seen.delimiters | seen.feeds, marks = seen.quotes;
    if ((marks | inside) != 0) {
      const std::uint64_t within = within_quotes(marks, inside);
      if ((seen.feeds & within) != 0) return start;
      left &= ~within;
    }
    for (; left != 0; left &= left - 1) {
      const int k = __builtin_ctzll(left);
      const char *const sep = block + k, *stop = sep;
      if (marks != 0) {
        const std::uint64_t before = marks & ((std::uint64_t{1} << k) - 1);
        quotes += __builtin_popcountll(before);
        marks &= ~before;
      }
      const bool last = (seen.feeds >> k & 1) != 0;
      if (last && stop > from && stop[-1] == '\r') --stop;
      if (!last || stop > start) {
        if (quotes == 0) {
          to.field(found++, from, stop, false);
        } else {
          if (quotes != 2 || *from != '"' || stop[-1] != '"') return start;
          to.field(found++, from + 1, stop - 1, false);
          quotes = 0;
        }
      }
      from = sep + 1;
      if (!last) continue;
      if (!to.record(start, stop, found, Quotes())) return nullptr;
      start = from;
      found = 0;
    }
    if (marks != 0) quotes += __builtin_popcountll(marks);
  }
  return start;
}

// How many quotes there are; kBehind bytes may be read behind them.
inline std::size_t quotes_in(const char* from, const char* to) {
  std::size_t count = 0;
  for (; from < to; from += 64) {
    const std::uint64_t quotes = look64(from, to, '"').delimiters;
    if (quotes != 0) count += static_cast<std::size_t>(__builtin_popcountll(quotes));
  }
  return count;
}

// Behind the last record that ends with a line feed; `data` where there is none.
inline const char* last_record_end(const char* data, const char* end) {
  bool inside = quotes_in(data, end) % 2 == 1;
  while (end > data) {
    --end;
    if (*end == '"') inside = !inside;
    if (*end == '\n' && !inside) return end + 1;
  }
  return data;
}

// All records from the start of one that are whole before `end`, the last one without a line end if nothing follows it
// (`last`); kBehind bytes may be read behind it. Gives what follows them, nullptr if the visitor ended the walk.
template <typename Visitor>
const char* walk(const char* at, const char* end, bool last, char delimiter, Visitor& to) {
  const char* whole = last ? end : nullptr;
  while (at != nullptr && at < end) {
    at = walk_plain(at, end, delimiter, to);
    if (at == nullptr || at == end) break;
    if (whole == nullptr) whole = last_record_end(at, end);
    if (at >= whole) break;
    at = walk_record(at, whole, delimiter, to);
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
    count += static_cast<std::size_t>(__builtin_popcountll(ends));
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
