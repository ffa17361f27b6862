// Delimited text laid out anew: without quotes, fields parted by a byte that stands nowhere in them. Any reader of
// plain lines then reads what RFC 4180 says, whatever the fields hold.
#pragma once
#include <cstddef>
#include <string>
#include <vector>

#include "records.h"

namespace relay {

// Bytes of control that stand nowhere in the text: between fields, and for a line feed and a carriage return inside a
// field. 0 where too many are taken.
struct Bytes {
  char between = 0, feed = 0, back = 0;
};

inline Bytes unused(const char* data, const char* end) {
  bool seen[256] = {};
  for (const char* at = data; at < end; ++at) seen[static_cast<unsigned char>(*at)] = true;
  std::vector<char> free;
  for (int c = 31; c > 0 && free.size() < 3; --c) {
    // White space and what a reader may take for it.
    if (!seen[c] && (c < 7 || c > 13)) free.push_back(static_cast<char>(c));
  }
  Bytes out;
  if (free.size() == 3) out = {free[0], free[1], free[2]};
  return out;
}

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

// `used` keeps the bytes that were needed.
inline std::string laid_out(const char* at, const char* end, const records::Marks& marks, Bytes& used) {
  const Bytes bytes = used;
  used = {bytes.between, 0, 0};
  std::string out, one;
  out.reserve(end - at);
  while (at < end) {
    if (records::line_end(*at)) {
      at = behind_line_end(at, end);
      continue;
    }
    for (bool first = true;; first = false) {
      at = field(at, end, marks, one);
      const bool last = at == end || *at != marks.delimiter;
      for (char& c : one) {
        if (c == '\n') c = used.feed = bytes.feed;
        if (c == '\r') c = used.back = bytes.back;
      }
      out += one;
      // A field that has its line for itself may be no more than white space: an empty one follows it.
      if (first && last) out += bytes.between;
      if (last) break;
      out += bytes.between;
      ++at;
    }
    out += '\n';
    at = behind_line_end(at, end);
  }
  return out;
}

}  // namespace relay
