#include <Rcpp.h>
#include <zlib.h>

#include <algorithm>
#include <atomic>
#include <cstdio>
#include <memory>

#include "file_handle.h"
#include "lazy_text.h"
#include "memory.h"
#include "records.h"
#include "fields.h"
#include "threads.h"

namespace {

using files::File;
using files::move_to;
using files::opened;

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

// No block need be larger than its file. One that grows is found out when its end is read.
std::size_t block_size(const std::string& path, double wanted) {
  const File file = opened(path, "rb");
  if (std::fseek(file.get(), 0, SEEK_END) != 0) return static_cast<std::size_t>(wanted);
#if defined(_WIN32)
  const double bytes = static_cast<double>(_ftelli64(file.get()));
#else
  const double bytes = static_cast<double>(ftello(file.get()));
#endif
  return static_cast<std::size_t>(std::min(wanted, std::max(bytes, 0.0) + 1));
}

// Bytes of a file, each thread reading a part of them.
class Reader {
 public:
  Reader(const std::string& path, std::size_t most, int threads) {
    for (int t = 0; t < threads::useful(most, threads); ++t) files_.push_back(opened(path, "rb"));
  }
  // How many of the n bytes behind `offset` were there.
  std::size_t read(double offset, std::size_t n, char* to) {
    const int count = static_cast<int>(files_.size());
    std::vector<std::size_t> wanted(count), got(count);
    std::atomic<bool> good{true};
    threads::each(count, [&](int t) {
      const std::size_t from = n * t / count;
      wanted[t] = n * (t + 1) / count - from;
      std::FILE* file = files_[t].get();
      if (!move_to(file, offset + static_cast<double>(from))) good = false;
      got[t] = std::fread(to + from, 1, wanted[t], file);
      if (std::ferror(file)) good = false;
    });
    if (!good) Rcpp::stop("a file cannot be read");
    std::size_t whole = 0;
    for (int t = 0; t < count; ++t) {
      whole += got[t];
      if (got[t] < wanted[t]) break;
    }
    return whole;
  }

 private:
  std::vector<File> files_;
};

// A file in blocks that end where a record ends, each followed by a line end that is none of its own.
class Blocks {
 public:
  Blocks(const std::string& path, std::size_t size, int threads) : reader_(path, size, threads), size_(size) {}

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
        const std::size_t got = reader_.read(offset_ + static_cast<double>(filled_), size_, held_.data() + filled_);
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
  Reader reader_;
  std::size_t size_, end_ = 0, filled_ = 0;
  bool ended_ = false;
  char behind_ = 0;
  double offset_ = 0;
  std::vector<char> held_;
};

// A stretch of a file passed on piece by piece; false where it is not what was counted.
bool pass_stretch(std::FILE* file, double offset, std::size_t bytes, relay::Passer& to) {
  std::vector<char> piece(2 * records::kPiece + records::kBehind);
  if (!move_to(file, offset)) return false;
  std::size_t held = 0;
  while (held > 0 || bytes > 0) {
    const std::size_t room = piece.size() - records::kBehind - held, more = std::min(room, bytes);
    if (std::fread(piece.data() + held, 1, more, file) != more) return false;
    const char* end = piece.data() + held + more;
    piece[held + more] = '\n';
    bytes -= more;
    const char* rest = to.pass(piece.data(), end, bytes == 0);
    if (rest == nullptr || utf8::odd_byte(piece.data(), rest) != rest) return false;
    held = static_cast<std::size_t>(end - rest);
    std::copy(rest, end, piece.begin());
    // A record may be longer than a piece.
    if (held > piece.size() / 2) piece.resize(2 * piece.size());
  }
  return to.complete();
}

// The codes of a text, of which each thread passed on some by its own numbers, as one text.
SEXP coded_text(std::vector<relay::Passer>& passed, std::size_t k, SEXP codes, const std::vector<std::size_t>& starts) {
  relay::Texts& whole = passed[0].texts(k);
  const int count = static_cast<int>(passed.size());
  std::vector<std::vector<int>> now(count);
  for (int t = 1; t < count; ++t) now[t] = whole.codes_of(passed[t].texts(k));
  int* const code = INTEGER(codes);
  threads::each(count, [&](int t) {
    if (t > 0) std::transform(code + starts[t], code + starts[t + 1], code + starts[t],
                              [&](int own) { return now[t][own - 1]; });
  });
  Rcpp::CharacterVector labels(whole.size());
  for (int code = 1; code <= whole.size(); ++code) {
    SET_STRING_ELT(labels, code - 1,
                   Rf_mkCharLenCE(whole.text(code), static_cast<int>(whole.length(code)), CE_UTF8));
  }
  return lazy_text::text(codes, labels);
}

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
// wanted column (all where NULL) look like; and the stretches (offset, bytes, records) in which it can be read. `odd`
// is the line of the first byte that is not text, 0 for none.
// [[Rcpp::export(rng = false)]]
Rcpp::List text_stretches_kernel(std::string path, std::string delimiter, std::string decimal,
                              Rcpp::Nullable<Rcpp::CharacterVector> wanted, double size, int threads) {
  const records::Marks marks(delimiter[0], decimal[0]);
  Blocks blocks(path, block_size(path, size), threads);
  std::vector<std::string> heading;
  std::vector<bool> columns_wanted;
  std::vector<double> offsets, bytes, held;
  records::Count whole;
  double odd_line = 0;
  int odd_value = 0;
  double feeds = 0;
  char last = '\n';
  while (odd_line == 0 && blocks.next()) {
    const char *at = blocks.data(), *end = blocks.end();
    last = end[-1];
    const auto told = [&](const char* odd) {
      odd_line = feeds + 1.0 + static_cast<double>(std::count(blocks.data(), odd, '\n'));
      odd_value = static_cast<unsigned char>(*odd);
    };
    if (blocks.offset() == 0 && end - at >= 3 && std::memcmp(at, "\xef\xbb\xbf", 3) == 0) at += 3;
    if (whole.fields == 0) {
      const char* rest = relay::first_record(at, end, marks, heading);
      const char* odd = utf8::odd_byte(at, rest);
      if (odd != rest) {
        told(odd);
        heading.clear();
        break;
      }
      const records::Count top = records::scan(at, rest, marks, 0);
      records::append(whole, top);
      // Nothing but empty lines so far.
      if (heading.empty()) continue;
      whole.fields = top.fields;
      whole.columns.assign(top.fields, profile::Column());
      columns_wanted = wanted_of(heading, wanted);
      at = rest;
    }
    const auto found = records::count(at, end - at, marks, whole.fields, columns_wanted, threads);
    if (found.odd != nullptr) {
      told(found.odd);
      break;
    }
    records::append(whole, found);
    for (const records::Stretch& part : found.stretches) {
      offsets.push_back(blocks.offset() + static_cast<double>(part.from - blocks.data()));
      bytes.push_back(static_cast<double>(part.to - part.from));
      held.push_back(static_cast<double>(part.records));
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
      Rcpp::_["fields"] = static_cast<double>(whole.fields),
      Rcpp::_["misfits"] = places(whole.misfits, whole.misfit_count),
      Rcpp::_["quotes"] = places(whole.quotes, whole.quote_count),
      Rcpp::_["line_end"] = last == '\n' || last == '\r', Rcpp::_["open_line"] = static_cast<double>(whole.open_line),
      Rcpp::_["empty"] = Rcpp::NumericVector(whole.empty.begin(), whole.empty.end()),
      Rcpp::_["columns"] = Rcpp::List::create(
          Rcpp::_["given"] = given, Rcpp::_["words"] = words, Rcpp::_["days"] = days, Rcpp::_["numbers"] = numbers,
          Rcpp::_["lengths"] = lengths, Rcpp::_["shorter"] = shorter),
      Rcpp::_["stretches"] = Rcpp::List::create(Rcpp::_["offset"] = offsets, Rcpp::_["bytes"] = bytes,
                                                Rcpp::_["records"] = held),
      Rcpp::_["odd"] = Rcpp::List::create(Rcpp::_["line"] = odd_line, Rcpp::_["byte"] = odd_value));
}

// The fields of the first record that is not an empty line.
// [[Rcpp::export(rng = false)]]
Rcpp::CharacterVector first_names_kernel(Rcpp::RawVector bytes, std::string delimiter) {
  const char* at = reinterpret_cast<const char*>(RAW(bytes));
  const char* end = at + bytes.size();
  if (end - at >= 3 && std::memcmp(at, "\xef\xbb\xbf", 3) == 0) at += 3;
  std::vector<std::string> fields;
  relay::first_record(at, end, records::Marks(delimiter[0]), fields);
  return utf8_texts(fields);
}

// Stretches of a file of this many columns that follow one another, each read by a thread: the columns of `texts` (from
// 1) as text, those of `plain` as lines, kBetween behind each field. NULL where they are not what was counted.
// [[Rcpp::export(rng = false)]]
SEXP read_stretches_kernel(std::string path, Rcpp::NumericVector offsets, Rcpp::NumericVector bytes,
                           Rcpp::NumericVector counted, std::string delimiter, int columns, Rcpp::IntegerVector texts,
                           Rcpp::IntegerVector plain) {
  std::vector<int> where(columns, relay::kNowhere);
  for (R_xlen_t k = 0; k < texts.size(); ++k) where.at(texts[k] - 1) = static_cast<int>(k);
  for (const int place : plain) where.at(place - 1) = relay::kPlain;
  const int parts = static_cast<int>(offsets.size());
  std::vector<std::size_t> starts(1, 0);
  for (const double records : counted) starts.push_back(starts.back() + static_cast<std::size_t>(records));
  Rcpp::List codes(texts.size());
  for (R_xlen_t k = 0; k < texts.size(); ++k) codes[k] = pages::vector(INTSXP, starts[parts]);
  std::vector<File> files;
  std::vector<relay::Passer> passed;
  for (int t = 0; t < parts; ++t) {
    files.emplace_back(std::fopen(path.c_str(), "rb"));
    if (!files[t]) return R_NilValue;
    passed.emplace_back(records::Marks(delimiter[0]), where, texts.size(), static_cast<std::size_t>(bytes[t]));
    std::vector<int*> to;
    for (R_xlen_t k = 0; k < texts.size(); ++k) to.push_back(INTEGER(codes[k]) + starts[t]);
    passed[t].expect(starts[t + 1] - starts[t], to);
  }
  std::atomic<bool> good{true};
  threads::each(parts, [&](int t) {
    if (!pass_stretch(files[t].get(), offsets[t], static_cast<std::size_t>(bytes[t]), passed[t])) good = false;
  });
  if (!good) return R_NilValue;
  std::string lines;
  for (const relay::Passer& part : passed) {
    if (plain.size() > 0) lines.append(part.plain(), part.plain_size());
  }
  Rcpp::List found(texts.size());
  for (R_xlen_t k = 0; k < texts.size(); ++k) {
    found[k] = coded_text(passed, static_cast<std::size_t>(k), codes[k], starts);
  }
  return Rcpp::List::create(Rcpp::_["texts"] = found,
                            Rcpp::_["lines"] = Rf_ScalarString(Rf_mkCharLenCE(
                                lines.data(), static_cast<int>(lines.size()), CE_UTF8)));
}

// Unpacks a gzip file, all members of it, checked by its own lengths and checksums. Gives what is wrong: "", "cut",
// "damaged", "limit" or "full".
// [[Rcpp::export(rng = false)]]
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
      // Another member may follow; anything else behind the last one is not part of it.
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
