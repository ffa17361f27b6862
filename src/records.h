// Records of delimited text (RFC 4180), counted by themselves: so that what a reader gives can be held against it.
#pragma once
#include <algorithm>
#include <cstddef>
#include <cstring>
#include <vector>

#include "threads.h"

namespace records {

// A place that is not as it should be: line from 1, record from 1 (the heading is the first), fields found.
struct Odd {
  std::size_t line, record, fields;
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
};

constexpr std::size_t kShown = 5;

inline void note(std::vector<Odd>& list, std::size_t& count, Odd odd) {
  if (list.size() < kShown) list.push_back(odd);
  ++count;
}

// Counts from the start of a record to the end of one. `fields` is what the heading has, 0 when the heading is among
// these.
inline Count scan(const char* at, const char* end, char delimiter, std::size_t fields) {
  Count out;
  out.fields = fields;
  while (at < end) {
    const std::size_t first_line = out.lines + 1;
    std::size_t found = 1;
    bool stray = false;
    const char* start = at;
    bool done = false;
    while (!done) {
      // At the start of a field.
      if (at < end && *at == '"') {
        ++at;
        const std::size_t opened = out.lines + 1;
        for (;;) {
          while (at < end && *at != '"') {
            if (*at == '\n' || (*at == '\r' && (at + 1 == end || at[1] != '\n'))) ++out.lines;
            ++at;
          }
          if (at == end) {
            out.open_line = opened;
            break;
          }
          ++at;
          if (at < end && *at == '"') {
            ++at;
            continue;
          }
          break;
        }
        if (at < end && *at != delimiter && *at != '\n' && *at != '\r') stray = true;
      }
      while (at < end && *at != delimiter && *at != '\n' && *at != '\r') {
        if (*at == '"') stray = true;
        ++at;
      }
      if (at < end && *at == delimiter) {
        ++found;
        ++at;
      } else {
        done = true;
      }
    }
    const bool empty = at == start;
    if (at < end) {
      if (*at == '\r' && at + 1 < end && at[1] == '\n') ++at;
      ++at;
      ++out.lines;
    }
    if (empty) {
      out.empty.push_back(out.records + out.empty.size() + 1);
      continue;
    }
    ++out.records;
    if (out.fields == 0) out.fields = found;
    if (stray) note(out.quotes, out.quote_count, {first_line, out.records, found});
    if (found != out.fields) note(out.misfits, out.misfit_count, {first_line, out.records, found});
  }
  return out;
}

inline std::size_t quotes_in(const char* from, const char* to) {
  return static_cast<std::size_t>(std::count(from, to, '"'));
}

// The start of the first record at or behind `from`, given whether `from` lies inside quotes.
inline const char* record_start(const char* from, const char* end, bool inside) {
  for (; from < end; ++from) {
    if (*from == '"') inside = !inside;
    if (*from == '\n' && !inside) return from + 1;
  }
  return end;
}

// The parts of several threads as one; places move on by what stands before them.
inline void append(Count& whole, const Count& part) {
  for (const Odd& odd : part.misfits) {
    note(whole.misfits, whole.misfit_count, {odd.line + whole.lines, odd.record + whole.records, odd.fields});
  }
  whole.misfit_count += part.misfit_count - part.misfits.size();
  const std::size_t before = whole.records + whole.empty.size();
  for (std::size_t place : part.empty) whole.empty.push_back(place + before);
  whole.records += part.records;
  whole.lines += part.lines;
}

// In threads where every quote is as it should be; else from the start to the end, for what quotes hold then depends on
// all before them.
inline Count count(const char* data, std::size_t n, char delimiter, int wanted) {
  const char* end = data + n;
  const int parts = threads::useful(n / 16, wanted);
  if (parts > 1) {
    std::vector<std::size_t> quotes(parts);
    threads::each(parts, [&](int t) { quotes[t] = quotes_in(data + n * t / parts, data + n * (t + 1) / parts); });
    std::vector<const char*> starts(parts + 1, end);
    starts[0] = data;
    std::size_t before = 0;
    for (int t = 1; t < parts; ++t) {
      before += quotes[t - 1];
      starts[t] = std::max(starts[t - 1], record_start(data + n * t / parts, end, before % 2 == 1));
    }
    const Count heading = scan(data, record_start(data, end, false), delimiter, 0);
    std::vector<Count> counts(parts);
    threads::each(parts, [&](int t) { counts[t] = scan(starts[t], starts[t + 1], delimiter, heading.fields); });
    bool plain = heading.fields > 0;
    Count whole;
    whole.fields = heading.fields;
    for (const Count& part : counts) {
      plain = plain && part.quote_count == 0 && part.open_line == 0;
      append(whole, part);
    }
    if (plain) return whole;
  }
  return scan(data, end, delimiter, 0);
}

}  // namespace records
