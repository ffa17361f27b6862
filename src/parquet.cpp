// The pages of a Parquet file held against the checksums that their headers have.
#include <Rcpp.h>
#include <zlib.h>

#include <cstdint>
#include <stdexcept>
#include <string>
#include <vector>

#include "file_handle.h"

namespace {

using files::File;
using files::move_to;
using files::opened;

// Apache Parquet writes page headers in Thrift's compact protocol.
class Header {
 public:
  Header(const unsigned char* at, const unsigned char* end) : start_(at), at_(at), end_(end) {
    int field = 0;
    for (int kind; (kind = next_field(field)) != 0;) {
      if (kind == kInt32 && field == 3) {
        size = whole();
      } else if (kind == kInt32 && field == 4) {
        crc = static_cast<std::uint32_t>(whole());
        has_crc = true;
      } else {
        skip(kind, 0);
      }
    }
    length = at_ - start_;
  }
  std::int64_t size = -1, length = 0;
  std::uint32_t crc = 0;
  bool has_crc = false;

 private:
  static constexpr int kInt32 = 5;

  unsigned char byte() {
    if (at_ == end_) throw std::runtime_error("cut");
    return *at_++;
  }
  std::uint64_t varint() {
    std::uint64_t value = 0;
    for (int shift = 0; shift < 64; shift += 7) {
      const unsigned char b = byte();
      value |= static_cast<std::uint64_t>(b & 0x7f) << shift;
      if (b < 0x80) return value;
    }
    throw std::runtime_error("long number");
  }
  std::int64_t whole() {
    const std::uint64_t value = varint();
    return static_cast<std::int64_t>(value >> 1) ^ -static_cast<std::int64_t>(value & 1);
  }
  int next_field(int& field) {
    const unsigned char b = byte();
    if ((b & 15) == 0) return 0;
    field = b >> 4 ? field + (b >> 4) : static_cast<int>(whole());
    return b & 15;
  }
  void forward(std::uint64_t n) {
    if (n > static_cast<std::uint64_t>(end_ - at_)) throw std::runtime_error("cut");
    at_ += n;
  }
  void skip(int kind, int depth) {
    if (depth > 16) throw std::runtime_error("deep");
    switch (kind) {
      case 1: case 2: return;
      case 3: forward(1); return;
      case 4: case 5: case 6: varint(); return;
      case 7: forward(8); return;
      case 8: forward(varint()); return;
      case 9: case 10: {
        const unsigned char b = byte();
        const std::uint64_t n = b >> 4 == 15 ? varint() : b >> 4;
        // Truth values in a list take a byte each.
        for (std::uint64_t i = 0; i < n; ++i) skip((b & 15) < 3 ? 3 : b & 15, depth + 1);
        return;
      }
      case 12: {
        int field = 0;
        for (int of; (of = next_field(field)) != 0;) skip(of, depth + 1);
        return;
      }
      default: throw std::runtime_error("unknown kind");
    }
  }
  const unsigned char *start_, *at_, *end_;
};

std::size_t read_at(std::FILE* file, double offset, std::vector<unsigned char>& to, std::size_t n) {
  to.resize(n);
  return move_to(file, offset) ? std::fread(to.data(), 1, n, file) : 0;
}

}  // namespace

// Which of some column chunks (where each starts and how many bytes it has) has a page that is not what its checksum
// says, or whose header cannot be read: its place from 1, 0 for none. Pages without a checksum are passed over.
// [[Rcpp::export(rng = false)]]
int damaged_chunk_kernel(std::string path, Rcpp::NumericVector starts, Rcpp::NumericVector bytes) {
  const File file = opened(path, "rb");
  constexpr std::size_t kLongest = std::size_t{1} << 16;
  std::vector<unsigned char> held;
  for (R_xlen_t k = 0; k < starts.size(); ++k) {
    const double end = starts[k] + bytes[k];
    for (double at = starts[k]; at < end;) {
      const std::size_t got = read_at(file.get(), at, held, kLongest);
      try {
        const Header header(held.data(), held.data() + got);
        if (header.size < 0) return static_cast<int>(k) + 1;
        at += static_cast<double>(header.length);
        if (header.has_crc) {
          const std::size_t size = static_cast<std::size_t>(header.size);
          if (read_at(file.get(), at, held, size) != size) return static_cast<int>(k) + 1;
          if (crc32_z(0, held.data(), size) != header.crc) return static_cast<int>(k) + 1;
        }
        at += static_cast<double>(header.size);
      } catch (const std::runtime_error&) {
        return static_cast<int>(k) + 1;
      }
      Rcpp::checkUserInterrupt();
    }
  }
  return 0;
}
