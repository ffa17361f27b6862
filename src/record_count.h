// Counts the records of delimited text, looks at every value of the wanted columns, and holds the count against one of
// line ends alone.
#pragma once
#include <algorithm>
#include <cstddef>
#include <stdexcept>
#include <vector>

#include "column_profile.h"
#include "field_values.h"
#include "records.h"
#include "threads.h"
#include "utf8.h"

namespace records {

// A place that is not as it should be: line from 1, record from 1 (the heading is the first), fields found.
struct Odd {
  std::size_t line, record, fields;
};

// Records that stand one after another, and how many they are. If their values are taken: the thread that took them,
// how many records it took of the same block before, and how many texts of each column it has afterwards.
struct Stretch {
  const char *from, *to;
  std::size_t records;
  int thread;
  std::size_t before;
  std::vector<std::size_t> texts;
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
  std::vector<Stretch> stretches;    // in which the records can be read by themselves
};

constexpr std::size_t kShown = 5;

inline void note(std::vector<Odd>& list, std::size_t& count, Odd odd) {
  if (list.size() < kShown) list.push_back(odd);
  ++count;
}

// A visitor that counts, and shows what it sees to `also` if there is somebody.
class Counter {
 public:
  Counter(Count& out, char decimal, relay::Values* also)
      : out_(out), column_(out.columns.data()), columns_(out.columns.size()), decimal_(decimal), also_(also) {}
  void field(std::size_t k, const char* from, const char* to, bool doubled) {
    if (k < columns_ && !column_[k].settled()) column_[k].see(from, to, decimal_);
    if (also_ != nullptr) also_->field(k, from, to, doubled);
  }
  std::size_t fields() const { return out_.fields; }
  bool records(const Alike& alike) {
    for (std::size_t k = 0; k < columns_; ++k) {
      if (also_ != nullptr && also_->kind(k) != relay::Taken::kNot) {
        also_->take(k, column_[k], alike);
      } else if (!column_[k].settled()) {
        alike.each(k, [&](const char* from, const char* to) { column_[k].see(from, to, decimal_); });
      }
    }
    if (also_ != nullptr) also_->end_of(alike);
    out_.lines += alike.records();
    out_.records += alike.records();
    return true;
  }
  bool record(const char* start, const char* to, std::size_t found, const Quotes& quotes) {
    if (also_ != nullptr) also_->record(start, to, found, quotes);
    const std::size_t line = out_.lines + 1;
    out_.lines += quotes.ends + 1;
    if (to == start) {
      out_.empty.push_back(out_.records + out_.empty.size() + 1);
      return true;
    }
    ++out_.records;
    if (out_.fields == 0) out_.fields = found;
    if (quotes.stray) note(out_.quotes, out_.quote_count, {line, out_.records, found});
    if (found != out_.fields) note(out_.misfits, out_.misfit_count, {line, out_.records, found});
    if (quotes.open) out_.open_line = line + quotes.open_ends;
    return true;
  }

 private:
  Count& out_;
  profile::Column* const column_;
  const std::size_t columns_;
  const char decimal_;
  relay::Values* const also_;
};

// Counts the records that are whole before `end`, the last one without a line end if nothing follows it (`last`), and
// moves `at` behind them; kBehind bytes may be read behind `end`. `fields` is how many there should be, 0 when the
// first record tells; of columns that are not `wanted` nothing is told.
inline Count scan(const char*& at, const char* end, bool last, const Marks& marks, std::size_t fields,
                  const std::vector<bool>& wanted = {}, relay::Gatherer* gatherer = nullptr) {
  Count out;
  out.fields = fields;
  out.columns.resize(fields);
  for (std::size_t k = 0; k < wanted.size() && k < fields; ++k) {
    if (!wanted[k]) out.columns[k].skip();
  }
  if (gatherer != nullptr) gatherer->make_room(static_cast<std::size_t>(end - at));
  Counter counter(out, marks.decimal, gatherer == nullptr ? nullptr : &gatherer->values());
  const char* const from = at;
  at = walk(at, end, last, marks.delimiter, counter);
  const char* odd = utf8::odd_byte(from, at);
  if (odd != at) out.odd = odd;
  // Where a quote is not as it should be, nothing is read; else a line end is inside quotes or ends a line.
  if (out.quote_count == 0 && out.open_line == 0 && lines_outside(from, at) != out.records + out.empty.size()) {
    throw std::logic_error("two counts of the same lines differ");
  }
  return out;
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
                         const std::vector<bool>& wanted, relay::Gatherer* gatherer) {
  Count whole;
  whole.fields = fields;
  for (std::size_t size = kPiece; at < end;) {
    const bool last = size >= static_cast<std::size_t>(end - at);
    const char* const from = at;
    const Count part = scan(at, last ? end : at + size, last, marks, fields, wanted, gatherer);
    if (part.odd != nullptr) {
      whole.odd = part.odd;
      break;
    }
    append(whole, part);
    size = at == from ? 2 * size : kPiece;
  }
  return whole;
}

// A place in a block, and whether it lies inside quotes where all of them are as they should be.
struct Place {
  const char* at;
  bool inside;
};

// Counts in parts, each from the first record behind one of the `places`, if all quotes are well formed; otherwise from
// start to end, because what a quote encloses then depends on everything before it. Ends at a byte that is not text.
// kBehind bytes follow the end. Each of the threads has one of the `gatherers`, if there are any.
inline Count count(const char* data, const char* end, const Marks& marks, std::size_t fields,
                   const std::vector<bool>& columns, const std::vector<Place>& places, int threads,
                   std::vector<relay::Gatherer>& gatherers) {
  std::vector<const char*> starts(1, data);
  for (const Place& place : places) {
    starts.push_back(std::max(starts.back(), record_start(place.at, end, place.inside)));
  }
  starts.push_back(end);
  const int parts = static_cast<int>(starts.size()) - 1;
  std::vector<Count> counts(parts);
  std::vector<Stretch> stretches(parts);
  threads::in_turn(parts, threads, [&](int p, int t) {
    relay::Gatherer* const gatherer = gatherers.empty() ? nullptr : &gatherers[t];
    const std::size_t before = gatherer == nullptr ? 0 : gatherer->values().records();
    counts[p] = scan_pieces(starts[p], starts[p + 1], marks, fields, columns, gatherer);
    stretches[p] = {starts[p], starts[p + 1], counts[p].records, t, before, {}};
    if (gatherer != nullptr) stretches[p].texts = gatherer->values().text_counts();
  });
  bool plain = true;
  Count whole;
  whole.fields = fields;
  for (int p = 0; p < parts; ++p) {
    const Count& part = counts[p];
    if (part.odd != nullptr) return part;
    plain = plain && part.quote_count == 0 && part.open_line == 0;
    append(whole, part);
    if (part.records > 0) whole.stretches.push_back(stretches[p]);
  }
  // Quotes that are not as they should be are an error, and nothing is read.
  return plain ? whole : scan(data, end, true, marks, fields, columns);
}

}  // namespace records
