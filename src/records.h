// Counts the records of delimited text (RFC 4180) independently of the reader, to check what the reader returns.
#pragma once
#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <vector>

#if defined(__SSE2__)
#include <emmintrin.h>
#endif

#include "column_profile.h"
#include "threads.h"
#include "utf8.h"

namespace records {

// A place that is not as it should be: line from 1, record from 1 (the heading is the first), fields found.
struct Odd {
  std::size_t line, record, fields;
};

// Records that stand one after another, and this many of them.
struct Stretch {
  const char *from, *to;
  std::size_t records;
};

struct Count {
  std::size_t records = 0;           // without empty lines
  std::size_t lines = 0;             // line ends met
  std::size_t fields = 0;            // of the heading
  std::vector<Odd> misfits;          // other numbers of fields, the first few
  std::size_t misfit_count = 0;
  std::vector<Odd> quotes;           // a quote inside a field, or text behind a closing one, the first few
  std::size_t quote_count = 0;
  std::size_t open_line = 0;         // where a quote starts that nothing closes; 0 for none
  std::vector<std::size_t> empty;    // empty lines, by their place among all records and empty lines
  const char* odd = nullptr;         // the first byte that is not text
  std::vector<profile::Column> columns;
  std::vector<Stretch> stretches;    // in which the records can be read by themselves, one for each thread
};

constexpr std::size_t kShown = 5;

inline void note(std::vector<Odd>& list, std::size_t& count, Odd odd) {
  if (list.size() < kShown) list.push_back(odd);
  ++count;
}

// A piece of a block; two of them have room in the cache next to the processor.
constexpr std::size_t kPiece = std::size_t{1} << 17;

// Bytes that may be read behind the end of a block, the first of which is a line end.
constexpr std::size_t kBehind = 80;

class Marks {
 public:
  explicit Marks(char delimiter_, char decimal_ = '.') : delimiter(delimiter_), decimal(decimal_) {
    for (char c : {delimiter, '\n', '\r', '"'}) stops_[static_cast<unsigned char>(c)] = true;
  }
  // The next delimiter, line end or quote.
  const char* stop(const char* at) const {
    while (!stops_[static_cast<unsigned char>(*at)]) ++at;
    return at;
  }
  char delimiter, decimal;

 private:
  bool stops_[256] = {};
};

// Where in the next 64 bytes delimiters and line feeds stand, a bit for each, and whatever is not a plain field's.
struct Seen64 {
  std::uint64_t delimiters, feeds, others;
};

inline Seen64 look64(const char* at, const char* end, char delimiter) {
  Seen64 out{0, 0, 0};
#if defined(__SSE2__)
  const __m128i part = _mm_set1_epi8(delimiter), feed = _mm_set1_epi8('\n'), back = _mm_set1_epi8('\r'),
                quote = _mm_set1_epi8('"');
#pragma GCC unroll 4
  for (int k = 0; k < 4; ++k) {
    const __m128i bytes = _mm_loadu_si128(reinterpret_cast<const __m128i*>(at + 16 * k));
    const auto mask = [&](__m128i found) {
      return static_cast<std::uint64_t>(static_cast<std::uint32_t>(_mm_movemask_epi8(found))) << (16 * k);
    };
    out.delimiters |= mask(_mm_cmpeq_epi8(bytes, part));
    out.feeds |= mask(_mm_cmpeq_epi8(bytes, feed));
    out.others |= mask(_mm_or_si128(_mm_cmpeq_epi8(bytes, back), _mm_cmpeq_epi8(bytes, quote)));
  }
#else
  for (int k = 0; k < 64; ++k) {
    const std::uint64_t bit = std::uint64_t{1} << k;
    if (at[k] == delimiter) out.delimiters |= bit;
    if (at[k] == '\n') out.feeds |= bit;
    if (at[k] == '\r' || at[k] == '"') out.others |= bit;
  }
#endif
  if (end - at < 64) {
    const std::uint64_t held = (std::uint64_t{1} << (end - at)) - 1;
    out = {out.delimiters & held, out.feeds & held, out.others & held};
  }
  return out;
}

inline bool line_end(char c) { return c == '\n' || c == '\r'; }

// Behind the quoted field that starts at `at`; `open` where nothing closes it.
inline const char* behind_quotes(const char* at, const char* end, std::size_t& lines, bool& open) {
  ++at;
  for (;;) {
    while (at < end && *at != '"') {
      if (*at == '\n' || (*at == '\r' && (at + 1 == end || at[1] != '\n'))) ++lines;
      ++at;
    }
    if (at == end) {
      open = true;
      return at;
    }
    ++at;
    if (at == end || *at != '"') return at;
    ++at;
  }
}

// A record is done: [start, at), its line end excluded.
inline void end_record(Count& out, const char* start, const char* at, std::size_t line, std::size_t found, bool stray) {
  if (at == start) {
    out.empty.push_back(out.records + out.empty.size() + 1);
    return;
  }
  ++out.records;
  if (out.fields == 0) out.fields = found;
  if (stray) note(out.quotes, out.quote_count, {line, out.records, found});
  if (found != out.fields) note(out.misfits, out.misfit_count, {line, out.records, found});
}

// Records without quotes and carriage returns, from the start of one; gives the start of the first that has some, or
// has no line feed at its end.
inline const char* scan_plain(const char* at, const char* end, const Marks& marks, Count& out) {
  const char *start = at, *from = at;
  std::size_t found = 0;
  profile::Column* const column = out.columns.data();
  const std::size_t columns = out.columns.size();
  for (const char* block = at; block < end; block += 64) {
    const Seen64 seen = look64(block, end, marks.delimiter);
    if (seen.others != 0) return start;
    for (std::uint64_t left = seen.delimiters | seen.feeds; left != 0; left &= left - 1) {
      const int k = __builtin_ctzll(left);
      const char* to = block + k;
      if (found < columns && !column[found].settled()) column[found].see(from, to, marks.decimal);
      ++found;
      from = to + 1;
      if ((seen.feeds >> k & 1) == 0) continue;
      end_record(out, start, to, out.lines + 1, found, false);
      ++out.lines;
      start = from;
      found = 0;
    }
  }
  return start;
}

// Counts from the start of a record to the end of one; kBehind bytes may be read behind the last block. `fields` is
// how many there should be, 0 when the first record tells; of columns that are not `wanted` nothing is told.
inline Count scan(const char* at, const char* end, const Marks& marks, std::size_t fields,
                  const std::vector<bool>& wanted = {}) {
  Count out;
  out.fields = fields;
  out.columns.resize(fields);
  for (std::size_t k = 0; k < wanted.size() && k < fields; ++k) {
    if (!wanted[k]) out.columns[k].skip();
  }
  const char delimiter = marks.delimiter;
  while (at < end) {
    if (fields > 0) at = scan_plain(at, end, marks, out);
    if (at == end) break;
    const std::size_t first_line = out.lines + 1;
    const char* start = at;
    std::size_t found = 0;
    bool stray = false, more = true;
    while (more) {
      const char *from = at, *to = nullptr;
      if (*at == '"') {
        const std::size_t opened = out.lines + 1;
        bool open = false;
        at = behind_quotes(at, end, out.lines, open);
        if (open) out.open_line = opened;
        ++from;
        to = at - (open ? 0 : 1);
        if (at < end && *at != delimiter && !line_end(*at)) stray = true;
      }
      while (at < end) {
        at = marks.stop(at);
        if (at >= end || *at != '"') break;
        stray = true;
        ++at;
      }
      if (at > end) at = end;
      if (to == nullptr) to = at;
      if (found < out.columns.size()) out.columns[found].see(from, to, marks.decimal);
      ++found;
      more = at < end && *at == delimiter;
      if (more) ++at;
    }
    end_record(out, start, at, first_line, found, stray);
    if (at < end) {
      if (*at == '\r' && at + 1 < end && at[1] == '\n') ++at;
      ++at;
      ++out.lines;
    }
  }
  return out;
}

inline std::size_t quotes_in(const char* from, const char* to) {
  std::size_t count = 0;
  while (from < to && (from = static_cast<const char*>(std::memchr(from, '"', to - from))) != nullptr) {
    ++count;
    ++from;
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

// The parts of several threads as one; places move on by what stands before them.
inline void append(Count& whole, const Count& part) {
  const auto moved = [&](const Odd& odd) {
    return Odd{odd.line + whole.lines, odd.record + whole.records, odd.fields};
  };
  for (const Odd& odd : part.misfits) note(whole.misfits, whole.misfit_count, moved(odd));
  whole.misfit_count += part.misfit_count - part.misfits.size();
  for (const Odd& odd : part.quotes) note(whole.quotes, whole.quote_count, moved(odd));
  whole.quote_count += part.quote_count - part.quotes.size();
  if (part.open_line > 0 && whole.open_line == 0) whole.open_line = part.open_line + whole.lines;
  const std::size_t before = whole.records + whole.empty.size();
  for (std::size_t place : part.empty) whole.empty.push_back(place + before);
  whole.records += part.records;
  whole.lines += part.lines;
  whole.columns.resize(std::max(whole.columns.size(), part.columns.size()));
  for (std::size_t k = 0; k < part.columns.size(); ++k) whole.columns[k].add(part.columns[k]);
}

// Records from `at` to `end`, in pieces that stay near the processor from one look to the next.
inline Count scan_pieces(const char* at, const char* end, const Marks& marks, std::size_t fields,
                         const std::vector<bool>& wanted) {
  Count whole;
  whole.fields = fields;
  for (std::size_t size = kPiece; at < end;) {
    const std::size_t left = static_cast<std::size_t>(end - at);
    const char* to = size < left ? last_record_end(at, at + size) : end;
    if (to == at) {
      size *= 2;
      continue;
    }
    const char* odd = utf8::odd_byte(at, to);
    if (odd != to) {
      whole.odd = odd;
      break;
    }
    append(whole, scan(at, to, marks, fields, wanted));
    at = to;
    size = kPiece;
  }
  return whole;
}

// Where each of several threads starts, and the end: each at a record, where every quote is as it should be.
inline std::vector<const char*> record_starts(const char* data, const char* end, int wanted) {
  const std::size_t n = static_cast<std::size_t>(end - data);
  const int parts = threads::useful(n / 16, wanted);
  std::vector<const char*> starts(parts + 1, end);
  starts[0] = data;
  if (parts == 1) return starts;
  std::vector<std::size_t> quotes(parts);
  threads::each(parts, [&](int t) { quotes[t] = quotes_in(data + n * t / parts, data + n * (t + 1) / parts); });
  std::size_t before = 0;
  for (int t = 1; t < parts; ++t) {
    before += quotes[t - 1];
    starts[t] = std::max(starts[t - 1], record_start(data + n * t / parts, end, before % 2 == 1));
  }
  return starts;
}

// Counts in threads and pieces if all quotes are well formed; otherwise from start to end, because what a quote
// encloses then depends on everything before it. Ends at a byte that is not text. kBehind bytes follow the n bytes.
inline Count count(const char* data, std::size_t n, const Marks& marks, std::size_t fields,
                   const std::vector<bool>& columns, int wanted) {
  const char* end = data + n;
  const std::vector<const char*> starts = record_starts(data, end, wanted);
  const int parts = static_cast<int>(starts.size()) - 1;
  std::vector<Count> counts(parts);
  threads::each(parts, [&](int t) { counts[t] = scan_pieces(starts[t], starts[t + 1], marks, fields, columns); });
  bool plain = true;
  Count whole;
  whole.fields = fields;
  for (int t = 0; t < parts; ++t) {
    const Count& part = counts[t];
    if (part.odd != nullptr) return part;
    plain = plain && part.quote_count == 0 && part.open_line == 0;
    append(whole, part);
    if (part.records > 0) whole.stretches.push_back({starts[t], starts[t + 1], part.records});
  }
  // Quotes that are not as they should be are an error, and nothing is read.
  return plain ? whole : scan(data, end, marks, fields, columns);
}

}  // namespace records
