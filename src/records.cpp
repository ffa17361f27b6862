#include <Rcpp.h>
#include <zlib.h>

#include <cstdint>

#include "records.h"

namespace {

Rcpp::List places(const std::vector<records::Odd>& odd, std::size_t count) {
  const std::size_t n = odd.size();
  Rcpp::NumericVector line(n), record(n), fields(n);
  for (std::size_t i = 0; i < n; ++i) {
    line[i] = odd[i].line;
    record[i] = odd[i].record;
    fields[i] = odd[i].fields;
  }
  return Rcpp::List::create(Rcpp::_["line"] = line, Rcpp::_["record"] = record, Rcpp::_["fields"] = fields,
                            Rcpp::_["count"] = static_cast<double>(count));
}

}  // namespace

// Records of delimited text in UTF-8: how many, where they do not have the heading's number of fields, where quotes are
// not as they should be, which lines are empty.
// [[Rcpp::export]]
Rcpp::List records_kernel(Rcpp::RawVector bytes, std::string delimiter, int threads) {
  const std::size_t n = bytes.size();
  const auto found = records::count(n ? reinterpret_cast<const char*>(&bytes[0]) : nullptr, n, delimiter[0], threads);
  return Rcpp::List::create(
      Rcpp::_["records"] = static_cast<double>(found.records), Rcpp::_["fields"] = static_cast<double>(found.fields),
      Rcpp::_["misfits"] = places(found.misfits, found.misfit_count),
      Rcpp::_["quotes"] = places(found.quotes, found.quote_count),
      Rcpp::_["open_line"] = static_cast<double>(found.open_line),
      Rcpp::_["empty"] = Rcpp::NumericVector(found.empty.begin(), found.empty.end()));
}

// The line, from 1, of the first byte that is no UTF-8 or that is NUL; 0 where there is none. `what` tells which.
// [[Rcpp::export]]
Rcpp::List odd_byte_kernel(Rcpp::RawVector bytes) {
  const unsigned char* at = reinterpret_cast<const unsigned char*>(RAW(bytes));
  const unsigned char* end = at + bytes.size();
  const unsigned char* start = at;
  const auto found = [&](const char* what) {
    return Rcpp::List::create(Rcpp::_["line"] = 1.0 + std::count(start, at, '\n'),
                              Rcpp::_["byte"] = static_cast<int>(*at), Rcpp::_["what"] = what);
  };
  while (at < end) {
    // Eight plain bytes at once: none with its high bit set, none 0.
    while (end - at >= 8) {
      std::uint64_t eight;
      std::memcpy(&eight, at, 8);
      const std::uint64_t ones = 0x0101010101010101u, highs = 0x8080808080808080u;
      if ((eight & highs) != 0 || ((eight - ones) & ~eight & highs) != 0) break;
      at += 8;
    }
    if (at == end) break;
    const unsigned char byte = *at;
    if (byte == 0) return found("nul");
    if (byte < 0x80) {
      ++at;
      continue;
    }
    const int more = byte >= 0xc2 && byte <= 0xdf ? 1
                   : byte >= 0xe0 && byte <= 0xef ? 2
                   : byte >= 0xf0 && byte <= 0xf4 ? 3 : 0;
    if (more == 0 || end - at <= more) return found("encoding");
    for (int i = 1; i <= more; ++i) {
      if ((at[i] & 0xc0) != 0x80) return found("encoding");
    }
    // Overlong forms, surrogates and what lies beyond the last character.
    if ((byte == 0xe0 && at[1] < 0xa0) || (byte == 0xed && at[1] > 0x9f) || (byte == 0xf0 && at[1] < 0x90) ||
        (byte == 0xf4 && at[1] > 0x8f)) {
      return found("encoding");
    }
    at += more + 1;
  }
  return Rcpp::List::create(Rcpp::_["line"] = 0.0);
}

// The bytes of a gzip file, all members of it, checked by its own lengths and checksums. `problem` tells what is wrong:
// "cut", "damaged" or "limit".
// [[Rcpp::export]]
Rcpp::List gunzip_kernel(Rcpp::RawVector bytes, double limit) {
  std::vector<unsigned char> out;
  std::vector<unsigned char> part(1 << 20);
  z_stream stream{};
  const auto answer = [&](const char* problem) {
    inflateEnd(&stream);
    return Rcpp::List::create(Rcpp::_["problem"] = problem, Rcpp::_["bytes"] = Rcpp::RawVector(out.begin(), out.end()));
  };
  if (inflateInit2(&stream, 15 + 16) != Z_OK) Rcpp::stop("inflate cannot start");
  std::size_t taken = 0;
  const std::size_t n = bytes.size();
  bool ended = false;
  for (;;) {
    if (stream.avail_in == 0 && taken < n) {
      const std::size_t more = std::min<std::size_t>(n - taken, 1u << 30);
      stream.next_in = &bytes[taken];
      stream.avail_in = static_cast<uInt>(more);
      taken += more;
    }
    if (ended) {
      // Another member may follow; anything else behind the last one is no part of it.
      if (stream.avail_in == 0) return answer("");
      if (inflateReset(&stream) != Z_OK) return answer("damaged");
      ended = false;
    }
    stream.next_out = part.data();
    stream.avail_out = static_cast<uInt>(part.size());
    const int code = inflate(&stream, Z_NO_FLUSH);
    const std::size_t made = part.size() - stream.avail_out;
    if (out.size() + made > limit) return answer("limit");
    out.insert(out.end(), part.begin(), part.begin() + made);
    if (code == Z_STREAM_END) {
      ended = true;
    } else if (code == Z_BUF_ERROR || (code == Z_OK && made == 0 && stream.avail_in == 0 && taken == n)) {
      return answer("cut");
    } else if (code != Z_OK) {
      return answer("damaged");
    }
    Rcpp::checkUserInterrupt();
  }
}
