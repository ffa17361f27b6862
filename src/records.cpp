#include <Rcpp.h>
#include <zlib.h>

#include <algorithm>
#include <atomic>
#include <cstdio>
#include <cstring>
#include <memory>
#include <numeric>

#include "file_handle.h"
#include "memory.h"
#include "record_count.h"
#include "taken_columns.h"
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

// Which of the heading's columns are named; none told apart where all are.
std::vector<bool> named_in(const std::vector<std::string>& heading, Rcpp::Nullable<Rcpp::CharacterVector> names) {
  if (names.isNull()) return {};
  const Rcpp::CharacterVector asked(names);
  std::vector<bool> out(heading.size(), false);
  for (const auto& name : asked) {
    const std::string text = Rf_translateCharUTF8(name);
    for (std::size_t k = 0; k < heading.size(); ++k) out[k] = out[k] || heading[k] == text;
  }
  return out;
}

double bytes_of(const std::string& path) {
  const File file = opened(path, "rb");
  if (std::fseek(file.get(), 0, SEEK_END) != 0) Rcpp::stop("a file cannot be read");
#if defined(_WIN32)
  return static_cast<double>(_ftelli64(file.get()));
#else
  return static_cast<double>(ftello(file.get()));
#endif
}

// Bytes of a file, read in parts.
class Reader {
 public:
  // A thread that has few records is not worth its start.
  Reader(const std::string& path, std::size_t most, int threads) {
    for (int t = 0; t < threads::useful(most / 16, threads); ++t) files_.push_back(opened(path, "rb"));
  }
  int threads() const { return static_cast<int>(files_.size()); }
  int parts() const { return threads() > 1 ? threads::kParts * threads() : 1; }
  // The first of n bytes that are in a part.
  std::size_t first_of(int part, std::size_t n) const { return n * part / parts(); }

  // How many of the n bytes behind `offset` were there; `quotes` are how many each part has. kBehind bytes follow.
  std::size_t read(double offset, std::size_t n, char* to, std::vector<std::size_t>& quotes) {
    std::vector<std::size_t> got(parts());
    std::atomic<bool> good{true};
    quotes.assign(parts(), 0);
    threads::in_turn(parts(), threads(), [&](int part, int t) {
      const std::size_t from = first_of(part, n), end = first_of(part + 1, n);
      std::FILE* file = files_[t].get();
      if (!move_to(file, offset + static_cast<double>(from))) good = false;
      // What was just read is still near the processor.
      for (std::size_t at = from, more = 1; at < end && more > 0; at += more) {
        more = std::fread(to + at, 1, std::min(end - at, records::kPiece), file);
        quotes[part] += records::quotes_in(to + at, to + at + more);
        got[part] += more;
      }
      if (std::ferror(file)) good = false;
    });
    if (!good) Rcpp::stop("a file cannot be read");
    std::size_t whole = 0;
    for (int part = 0; part < parts(); ++part) {
      whole += got[part];
      if (got[part] < first_of(part + 1, n) - first_of(part, n)) break;
    }
    return whole;
  }

 private:
  std::vector<File> files_;
};

// A quote that is open for more bytes than this is not closed.
constexpr std::size_t kLongestQuoted = 100000000;

// A file in blocks that end where a record ends, each followed by a line end that is none of its own.
class Blocks {
 public:
  Blocks(const std::string& path, std::size_t size, int threads) : reader_(path, size, threads), size_(size) {}

  int threads() const { return reader_.threads(); }
  // The next block, from `data` to `end`; false behind the last one.
  bool next() {
    char* const held = held_.data();
    if (end_ > 0) held[end_] = behind_;
    offset_ += static_cast<double>(end_);
    filled_ -= end_;
    std::copy(held + end_, held + end_ + filled_, held);
    end_ = 0;
    bool inside = records::quotes_in(data(), data() + filled_) % 2 == 1;
    while (end_ == 0) {
      places_.clear();
      // No record ends before this.
      const std::size_t before = filled_;
      if (!ended_) {
        held_.make_room(filled_ + size_ + records::kBehind);
        const std::size_t got = reader_.read(offset_ + static_cast<double>(filled_), size_, held_.data() + filled_,
                                             quotes_);
        filled_ += got;
        ended_ = got < size_;
        for (int part = 0; part < reader_.parts(); ++part) {
          if (part > 0) places_.push_back({data() + std::min(filled_, before + reader_.first_of(part, size_)), inside});
          inside = inside != (quotes_[part] % 2 == 1);
        }
      }
      if (filled_ == 0) return false;
      const char* const behind = records::last_record_end(data() + before, data() + filled_, inside);
      end_ = behind == data() + before ? 0 : behind - data();
      // What is wrong with a record is said without reading more of it.
      ended_ = ended_ || (end_ == 0 && ((inside && filled_ > kLongestQuoted) ||
                                        std::memchr(data() + before, 0, filled_ - before) != nullptr));
      if (ended_) end_ = filled_;
      Rcpp::checkUserInterrupt();
    }
    // What stands behind is kept while a line end takes its place.
    behind_ = held_.data()[end_];
    held_.data()[end_] = '\n';
    return true;
  }
  const char* data() const { return held_.data(); }
  const char* end() const { return held_.data() + end_; }
  double offset() const { return offset_; }
  // Where the parts behind the first one begin.
  const std::vector<records::Place>& places() const { return places_; }

 private:
  Reader reader_;
  std::size_t size_, end_ = 0, filled_ = 0;
  bool ended_ = false;
  char behind_ = 0;
  double offset_ = 0;
  pages::Growing<char> held_;
  std::vector<std::size_t> quotes_;
  std::vector<records::Place> places_;
};

// The values of a stretch of a file, read piece by piece; false where it is not what was counted.
bool read_stretch(std::FILE* file, double offset, std::size_t bytes, char delimiter, relay::Values& to) {
  std::vector<char> piece(2 * records::kPiece + records::kBehind);
  if (!move_to(file, offset)) return false;
  std::size_t held = 0;
  while (held > 0 || bytes > 0) {
    const std::size_t room = piece.size() - records::kBehind - held, more = std::min(room, bytes);
    if (std::fread(piece.data() + held, 1, more, file) != more) return false;
    const char *const from = piece.data(), *const end = from + held + more;
    piece[held + more] = '\n';
    bytes -= more;
    const char* rest = records::walk(from, end, bytes == 0, delimiter, to);
    if (rest == nullptr) return false;
    held = static_cast<std::size_t>(end - rest);
    std::copy(rest, end, piece.begin());
    // A record may be longer than a piece.
    if (held > piece.size() / 2) piece.resize(2 * piece.size());
  }
  return to.good();
}

// How each wanted column is taken while it is counted, told from the first records: as days or numbers if they are,
// unless it is asked for as text.
std::vector<relay::Taken> taken_kinds(const char* at, const char* end, const records::Marks& marks,
                                      const std::vector<bool>& wanted, const std::vector<bool>& as_text,
                                      std::size_t fields) {
  const bool last = end - at <= static_cast<std::ptrdiff_t>(records::kPiece);
  const records::Count first = records::scan(at, last ? end : at + records::kPiece, last, marks, fields, wanted);
  std::vector<relay::Taken> kinds(fields, relay::Taken::kNot);
  for (std::size_t k = 0; k < fields; ++k) {
    const profile::Column& column = first.columns[k];
    if (!wanted.empty() && !wanted[k]) continue;
    const bool typed = column.given() && !as_text[k];
    kinds[k] = typed && column.days() ? relay::Taken::kDay
             : typed && column.numbers() ? relay::Taken::kNumber : relay::Taken::kText;
  }
  return kinds;
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
// is the line of the first byte that is not text, 0 for none. If `texts` are given, the values of the wanted columns
// are `taken` along: `texts` as text, the others as days, numbers or text, by what the first ones look like.
// [[Rcpp::export(rng = false)]]
Rcpp::List text_stretches_kernel(std::string path, std::string delimiter, std::string decimal,
                                 Rcpp::Nullable<Rcpp::CharacterVector> wanted,
                                 Rcpp::Nullable<Rcpp::CharacterVector> texts, double size, int threads) {
  const records::Marks marks{delimiter[0], decimal[0]};
  const double file_bytes = bytes_of(path);
  // No block need be larger than its file. One that grows is found out when its end is read.
  Blocks blocks(path, static_cast<std::size_t>(std::min(size, file_bytes + 1)), threads);
  std::vector<std::string> heading;
  std::vector<bool> columns_wanted;
  std::vector<double> offsets, bytes, held;
  relay::TakenColumns taken(marks.decimal, blocks.threads(), file_bytes);
  records::Count whole;
  double odd_line = 0;
  int odd_value = 0;
  double feeds = 0;
  char last = '\n';
  const auto sound = [&] {
    return odd_line == 0 && whole.misfit_count == 0 && whole.quote_count == 0 && whole.open_line == 0;
  };
  while (odd_line == 0 && blocks.next()) {
    const char *at = blocks.data(), *end = blocks.end();
    last = end[-1];
    const auto told = [&](const char* odd) {
      odd_line = feeds + 1.0 + static_cast<double>(std::count(blocks.data(), odd, '\n'));
      odd_value = static_cast<unsigned char>(*odd);
    };
    if (blocks.offset() == 0 && end - at >= 3 && std::memcmp(at, "\xef\xbb\xbf", 3) == 0) at += 3;
    if (whole.fields == 0) {
      const char* rest = records::first_record(at, end, marks.delimiter, heading);
      const char* odd = utf8::odd_byte(at, rest);
      if (odd != rest) {
        told(odd);
        heading.clear();
        break;
      }
      const records::Count top = records::scan(at, rest, true, marks, 0);
      records::append(whole, top);
      // Nothing but empty lines so far.
      if (heading.empty()) continue;
      whole.fields = top.fields;
      whole.columns.assign(top.fields, profile::Column());
      columns_wanted = named_in(heading, wanted);
      if (texts.isNotNull()) {
        taken.start(taken_kinds(at, end, marks, columns_wanted, named_in(heading, texts), whole.fields));
      }
    }
    const auto found = records::count(at, end, marks, whole.fields, columns_wanted, blocks.places(),
                                      blocks.threads(), taken.gatherers());
    if (found.odd != nullptr) {
      told(found.odd);
      break;
    }
    records::append(whole, found);
    // As many as there are threads to read them again.
    const std::size_t parts = found.stretches.size(), kept = std::min<std::size_t>(parts, blocks.threads());
    for (std::size_t k = 0; k < kept; ++k) {
      const records::Stretch *const part = found.stretches.data() + parts * k / kept,
                             *const next = found.stretches.data() + parts * (k + 1) / kept;
      offsets.push_back(blocks.offset() + static_cast<double>(part->from - blocks.data()));
      bytes.push_back(static_cast<double>((next - 1)->to - part->from));
      held.push_back(std::accumulate(part, next, 0.0, [](double sum, const records::Stretch& one) {
        return sum + static_cast<double>(one.records);
      }));
    }
    // A record that lacks fields leaves values out.
    if (sound()) {
      taken.add(found.stretches, blocks.offset() + static_cast<double>(end - blocks.data()), whole.columns);
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
      Rcpp::_["taken"] = sound() ? taken.list() : Rcpp::List(),
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
  records::first_record(at, end, delimiter[0], fields);
  return utf8_texts(fields);
}

// Stretches of a file that follow one another, each read by a thread: of each column what `kinds` says (0 nothing, 1
// coded text, 2 numbers, 3 days). NULL where they are not what was counted.
// [[Rcpp::export(rng = false)]]
SEXP read_stretches_kernel(std::string path, Rcpp::NumericVector offsets, Rcpp::NumericVector bytes,
                           Rcpp::NumericVector counted, std::string delimiter, std::string decimal,
                           Rcpp::IntegerVector kinds) {
  const int parts = static_cast<int>(offsets.size());
  std::vector<std::size_t> starts(1, 0);
  for (const double records : counted) starts.push_back(starts.back() + static_cast<std::size_t>(records));
  std::vector<relay::Taken> taken;
  for (const int kind : kinds) taken.push_back(static_cast<relay::Taken>(kind));
  std::vector<relay::Target> first(taken.size());
  Rcpp::List out(taken.size());
  for (std::size_t k = 0; k < taken.size(); ++k) {
    if (taken[k] == relay::Taken::kNot) continue;
    out[k] = relay::room_for(taken[k], starts[parts]);
    first[k] = relay::target_in(out[k]);
  }
  std::vector<File> files;
  std::vector<relay::Values> read;
  for (int t = 0; t < parts; ++t) {
    files.emplace_back(std::fopen(path.c_str(), "rb"));
    if (!files[t]) return R_NilValue;
    std::vector<relay::Target> targets = first;
    for (relay::Target& target : targets) {
      if (target.codes != nullptr) target.codes += starts[t];
      if (target.numbers != nullptr) target.numbers += starts[t];
    }
    read.emplace_back(decimal[0], NA_REAL, taken);
    read[t].set_room(targets, starts[t + 1] - starts[t]);
  }
  std::atomic<bool> good{true};
  threads::each(parts, [&](int t) {
    const bool fits = read_stretch(files[t].get(), offsets[t], static_cast<std::size_t>(bytes[t]), delimiter[0],
                                   read[t]);
    if (!fits || read[t].records() != starts[t + 1] - starts[t]) good = false;
  });
  if (!good) return R_NilValue;
  for (std::size_t k = 0; k < taken.size(); ++k) {
    if (taken[k] == relay::Taken::kNot) continue;
    relay::AllTexts whole(read[0].texts(k));
    std::vector<std::vector<int>> now(parts);
    for (int t = 0; t < parts; ++t) whole.add(read[t].texts(k), read[t].text_counts()[k], now[t]);
    int* const code = first[k].codes;
    threads::each(taken[k] == relay::Taken::kText ? parts : 0, [&](int t) {
      if (t > 0) std::transform(code + starts[t], code + starts[t + 1], code + starts[t],
                                [&](int own) { return now[t][own - 1]; });
    });
    out[k] = relay::column_of(taken[k], out[k], whole);
    if (Rf_isNull(out[k])) return R_NilValue;
  }
  return out;
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
