#include <Rcpp.h>
#include <zlib.h>

#include <cstdint>
#include <cstdio>
#include <memory>

#if !defined(_WIN32)
#include <unistd.h>
#endif

#include "records.h"
#include "relay.h"

namespace {

constexpr std::size_t kPiece = 1 << 18;

struct Close {
  void operator()(std::FILE* file) const { std::fclose(file); }
};
using File = std::unique_ptr<std::FILE, Close>;

File opened(const std::string& path, const char* how) {
  File file(std::fopen(path.c_str(), how));
  if (!file) Rcpp::stop("%s cannot be opened", path);
  return file;
}

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

Rcpp::CharacterVector utf8_texts(const std::vector<std::string>& texts) {
  const R_xlen_t n = static_cast<R_xlen_t>(texts.size());
  Rcpp::CharacterVector out(n);
  for (R_xlen_t k = 0; k < n; ++k) {
    SET_STRING_ELT(out, k, Rf_mkCharLenCE(texts[k].data(), static_cast<int>(texts[k].size()), CE_UTF8));
  }
  return out;
}

// Which of the heading's columns are asked for; none told apart where all are.
std::vector<bool> wanted_of(const std::vector<std::string>& heading, Rcpp::Nullable<Rcpp::CharacterVector> wanted) {
  if (wanted.isNull()) return {};
  const Rcpp::CharacterVector asked(wanted);
  std::vector<bool> out(heading.size(), false);
  for (const auto& name : asked) {
    const std::string text = Rf_translateCharUTF8(name);
    for (std::size_t k = 0; k < heading.size(); ++k) out[k] = out[k] || heading[k] == text;
  }
  return out;
}

// The first byte that is no UTF-8 or that is NUL; `end` where there is none.
const char* odd_byte(const char* from, const char* to) {
  const unsigned char* at = reinterpret_cast<const unsigned char*>(from);
  const unsigned char* end = reinterpret_cast<const unsigned char*>(to);
  const auto place = [&] { return reinterpret_cast<const char*>(at); };
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
    if (byte == 0) return place();
    if (byte < 0x80) {
      ++at;
      continue;
    }
    const int more = byte >= 0xc2 && byte <= 0xdf ? 1
                   : byte >= 0xe0 && byte <= 0xef ? 2
                   : byte >= 0xf0 && byte <= 0xf4 ? 3 : 0;
    if (more == 0 || end - at <= more) return place();
    for (int i = 1; i <= more; ++i) {
      if ((at[i] & 0xc0) != 0x80) return place();
    }
    // Overlong forms, surrogates and what lies beyond the last character.
    if ((byte == 0xe0 && at[1] < 0xa0) || (byte == 0xed && at[1] > 0x9f) || (byte == 0xf0 && at[1] < 0x90) ||
        (byte == 0xf4 && at[1] > 0x8f)) {
      return place();
    }
    at += more + 1;
  }
  return to;
}

// The same in threads: parts begin where a line does, which is where a character does.
const char* first_odd_byte(const char* from, const char* to, int wanted) {
  const std::size_t n = static_cast<std::size_t>(to - from);
  const int parts = threads::useful(n / 16, wanted);
  std::vector<const char*> starts(parts + 1, to), odd(parts, to);
  starts[0] = from;
  for (int t = 1; t < parts; ++t) {
    starts[t] = std::max(starts[t - 1], records::record_start(from + n * t / parts, to, false));
  }
  threads::each(parts, [&](int t) { odd[t] = odd_byte(starts[t], starts[t + 1]); });
  for (int t = 0; t < parts; ++t) {
    if (odd[t] != starts[t + 1]) return odd[t];
  }
  return to;
}

// A file in blocks that end where a record ends, each followed by a line end that is none of its own.
class Blocks {
 public:
  Blocks(const std::string& path, std::size_t size) : file_(opened(path, "rb")), size_(size) {}

  // The next block, from `data` to `end`; false behind the last one.
  bool next() {
    if (end_ > 0) held_[end_] = behind_;
    offset_ += static_cast<double>(end_);
    filled_ -= end_;
    std::copy(held_.begin() + static_cast<std::ptrdiff_t>(end_),
              held_.begin() + static_cast<std::ptrdiff_t>(end_ + filled_), held_.begin());
    end_ = 0;
    while (end_ == 0) {
      if (!ended_) {
        held_.resize(std::max(held_.size(), filled_ + size_ + records::kBehind));
        const std::size_t got = std::fread(held_.data() + filled_, 1, size_, file_.get());
        if (std::ferror(file_.get())) Rcpp::stop("a file cannot be read");
        filled_ += got;
        ended_ = got < size_;
      }
      if (filled_ == 0) return false;
      end_ = ended_ ? filled_ : records::last_record_end(data(), data() + filled_) - data();
      Rcpp::checkUserInterrupt();
    }
    // What stands behind is kept while a line end takes its place.
    behind_ = held_[end_];
    held_[end_] = '\n';
    return true;
  }
  const char* data() const { return held_.data(); }
  const char* end() const { return held_.data() + end_; }
  double offset() const { return offset_; }

 private:
  File file_;
  std::size_t size_, end_ = 0, filled_ = 0;
  bool ended_ = false;
  char behind_ = 0;
  double offset_ = 0;
  std::vector<char> held_;
};

// Pieces of bytes unpacked one after another, all members of a gzip file.
class Unpacker {
 public:
  Unpacker() {
    if (inflateInit2(&stream_, 15 + 16) != Z_OK) Rcpp::stop("inflate cannot start");
  }
  ~Unpacker() { inflateEnd(&stream_); }
  z_stream& stream() { return stream_; }

 private:
  z_stream stream_{};
};

}  // namespace

// What a file of delimited text in UTF-8 holds, all of it: the heading, how many records, where they do not have the
// heading's number of fields, where quotes are not as they should be, which lines are empty, what the values of each
// wanted column (all where NULL) look like; and the blocks (offset, bytes, records) in which it can be read, those that
// a reader of plain lines would understand marked. `odd` is the line of the first byte that is no text, 0 for none.
// [[Rcpp::export]]
Rcpp::List text_blocks_kernel(std::string path, std::string delimiter, std::string decimal,
                              Rcpp::Nullable<Rcpp::CharacterVector> wanted, double size, int threads) {
  const records::Marks marks(delimiter[0], decimal[0]);
  Blocks blocks(path, static_cast<std::size_t>(size));
  std::vector<std::string> heading;
  std::vector<bool> columns_wanted;
  std::vector<double> offsets, bytes, held;
  std::vector<int> plain;
  records::Count whole;
  double odd_line = 0;
  int odd_value = 0;
  double feeds = 0, heading_lines = 0;
  while (odd_line == 0 && blocks.next()) {
    const char *at = blocks.data(), *end = blocks.end();
    const char* odd = first_odd_byte(at, end, threads);
    if (odd != end) {
      odd_line = feeds + 1.0 + static_cast<double>(std::count(at, odd, '\n'));
      odd_value = static_cast<unsigned char>(*odd);
      break;
    }
    if (blocks.offset() == 0 && end - at >= 3 && std::memcmp(at, "\xef\xbb\xbf", 3) == 0) at += 3;
    if (whole.fields == 0) {
      const char* rest = relay::first_record(at, end, marks, heading);
      const records::Count top = records::scan(at, rest, marks, 0);
      records::append(whole, top);
      // Nothing but empty lines so far.
      if (heading.empty()) continue;
      whole.fields = top.fields;
      whole.columns.assign(top.fields, profile::Column());
      columns_wanted = wanted_of(heading, wanted);
      heading_lines = static_cast<double>(whole.lines);
      at = rest;
    }
    const auto found = records::count(at, end - at, marks, whole.fields, columns_wanted, threads);
    records::append(whole, found);
    if (found.records > 0) {
      offsets.push_back(blocks.offset() + static_cast<double>(at - blocks.data()));
      bytes.push_back(static_cast<double>(end - at));
      held.push_back(static_cast<double>(found.records));
      plain.push_back(!found.blank_record && found.empty.empty() && !found.quoted && !found.returns);
    }
    feeds = static_cast<double>(whole.lines);
  }
  const std::size_t columns = whole.columns.size();
  Rcpp::LogicalVector given(columns), words(columns), days(columns), numbers(columns);
  Rcpp::IntegerVector lengths(columns), shorter(columns);
  for (std::size_t k = 0; k < columns; ++k) {
    const profile::Column& column = whole.columns[k];
    given[k] = column.given();
    words[k] = column.words();
    days[k] = column.days();
    numbers[k] = column.numbers();
    lengths[k] = static_cast<int>(column.lengths());
    shorter[k] = static_cast<int>(column.shorter());
  }
  return Rcpp::List::create(
      Rcpp::_["heading"] = utf8_texts(heading), Rcpp::_["records"] = static_cast<double>(whole.records),
      Rcpp::_["heading_lines"] = heading_lines, Rcpp::_["fields"] = static_cast<double>(whole.fields),
      Rcpp::_["misfits"] = places(whole.misfits, whole.misfit_count),
      Rcpp::_["quotes"] = places(whole.quotes, whole.quote_count),
      Rcpp::_["open_line"] = static_cast<double>(whole.open_line),
      Rcpp::_["empty"] = Rcpp::NumericVector(whole.empty.begin(), whole.empty.end()),
      Rcpp::_["columns"] = Rcpp::List::create(
          Rcpp::_["given"] = given, Rcpp::_["words"] = words, Rcpp::_["days"] = days, Rcpp::_["numbers"] = numbers,
          Rcpp::_["lengths"] = lengths, Rcpp::_["shorter"] = shorter),
      Rcpp::_["blocks"] = Rcpp::List::create(Rcpp::_["offset"] = offsets, Rcpp::_["bytes"] = bytes,
                                             Rcpp::_["records"] = held, Rcpp::_["plain"] = plain),
      Rcpp::_["odd"] = Rcpp::List::create(Rcpp::_["line"] = odd_line, Rcpp::_["byte"] = odd_value));
}

// The fields of the first record that is not an empty line.
// [[Rcpp::export]]
Rcpp::CharacterVector first_names_kernel(Rcpp::RawVector bytes, std::string delimiter) {
  const char* at = reinterpret_cast<const char*>(RAW(bytes));
  const char* end = at + bytes.size();
  if (end - at >= 3 && std::memcmp(at, "\xef\xbb\xbf", 3) == 0) at += 3;
  std::vector<std::string> fields;
  relay::first_record(at, end, records::Marks(delimiter[0]), fields);
  return utf8_texts(fields);
}

// Writes one block of a file as a file of its own, which may stand there already; laid out anew unless it is `plain`.
// Gives the bytes that stand for delimiter, line feed and carriage return; `problem` tells that the block is "gone",
// that too many "control" bytes are taken, or that the disk is "full".
// [[Rcpp::export]]
Rcpp::List block_file_kernel(std::string path, double offset, double bytes, bool plain, std::string delimiter,
                             std::string to) {
  const auto answer = [](const std::string& problem, const relay::Bytes& used) {
    const auto one = [](char c) { return c == 0 ? std::string() : std::string(1, c); };
    return Rcpp::List::create(Rcpp::_["problem"] = problem, Rcpp::_["between"] = one(used.between),
                              Rcpp::_["feed"] = one(used.feed), Rcpp::_["back"] = one(used.back));
  };
  const File from(std::fopen(path.c_str(), "rb"));
  if (!from) return answer("gone", {});
#if defined(_WIN32)
  const int placed = _fseeki64(from.get(), static_cast<long long>(offset), SEEK_SET);
#else
  const int placed = fseeko(from.get(), static_cast<off_t>(offset), SEEK_SET);
#endif
  if (placed != 0) return answer("gone", {});
  // Written over what stood there: its pages are there already.
  File out(std::fopen(to.c_str(), "r+b"));
  if (!out) out = opened(to, "wb");
  // In pieces that stay near the processor; a block that is laid out anew is one piece.
  const std::size_t n = static_cast<std::size_t>(bytes);
  std::string piece(plain ? std::min(n, kPiece) : n, '\0');
  relay::Bytes used;
  used.between = delimiter[0];
  bool good = true;
  std::size_t written = 0;
  for (std::size_t taken = 0; taken < n && good;) {
    piece.resize(std::min(piece.size(), n - taken));
    if (std::fread(&piece[0], 1, piece.size(), from.get()) != piece.size()) return answer("gone", {});
    taken += piece.size();
    if (!plain) {
      used = relay::unused(piece.data(), piece.data() + n);
      if (used.between == 0) return answer("control", {});
      piece = relay::laid_out(piece.data(), piece.data() + n, records::Marks(delimiter[0]), used);
    }
    good = std::fwrite(piece.data(), 1, piece.size(), out.get()) == piece.size();
    written += piece.size();
  }
  good = good && std::fflush(out.get()) == 0;
#if !defined(_WIN32)
  good = good && ftruncate(fileno(out.get()), static_cast<off_t>(written)) == 0;
#endif
  return answer(good ? "" : "full", used);
}

// Unpacks a gzip file, all members of it, checked by its own lengths and checksums. Gives what is wrong: "", "cut",
// "damaged", "limit" or "full".
// [[Rcpp::export]]
std::string gunzip_kernel(std::string path, std::string to, double limit) {
  const File from = opened(path, "rb");
  const File out = opened(to, "wb");
  std::vector<unsigned char> in(1 << 18), part(1 << 20);
  Unpacker unpacker;
  z_stream& stream = unpacker.stream();
  double written = 0;
  bool ended = false, last = false;
  for (;;) {
    if (stream.avail_in == 0 && !last) {
      stream.next_in = in.data();
      stream.avail_in = static_cast<uInt>(std::fread(in.data(), 1, in.size(), from.get()));
      last = stream.avail_in < in.size();
    }
    if (ended) {
      // Another member may follow; anything else behind the last one is no part of it.
      if (stream.avail_in == 0) return std::fflush(out.get()) == 0 ? "" : "full";
      if (inflateReset(&stream) != Z_OK) return "damaged";
      ended = false;
    }
    stream.next_out = part.data();
    stream.avail_out = static_cast<uInt>(part.size());
    const int code = inflate(&stream, Z_NO_FLUSH);
    const std::size_t made = part.size() - stream.avail_out;
    written += static_cast<double>(made);
    if (written > limit) return "limit";
    if (std::fwrite(part.data(), 1, made, out.get()) != made) return "full";
    if (code == Z_STREAM_END) {
      ended = true;
    } else if (code == Z_BUF_ERROR || (code == Z_OK && made == 0 && stream.avail_in == 0 && last)) {
      return "cut";
    } else if (code != Z_OK) {
      return "damaged";
    }
    Rcpp::checkUserInterrupt();
  }
}
