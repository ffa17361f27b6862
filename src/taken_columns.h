// The columns of a file that are taken while its records are counted, block by block.
#pragma once
#include <Rcpp.h>

#include <algorithm>
#include <cstddef>
#include <vector>

#include "field_values.h"
#include "front.h"
#include "lazy_text.h"
#include "memory.h"
#include "record_count.h"
#include "threads.h"
#include "utf8.h"

namespace relay {

// Room for n codes, numbers or days.
inline SEXP room_for(Taken kind, std::size_t n) { return pages::vector(kind == Taken::kText ? INTSXP : REALSXP, n); }

inline Target target_in(SEXP values) {
  Target out;
  if (TYPEOF(values) == INTSXP) out.codes = INTEGER(values);
  else if (TYPEOF(values) == REALSXP) out.numbers = REAL(values);
  return out;
}

// A column of such values: codes are those of `texts`. NULL if a text is not UTF-8.
inline SEXP column_of(Taken kind, SEXP values, const Texts& texts) {
  if (kind == Taken::kDay) Rf_setAttrib(values, R_ClassSymbol, Rf_mkString("Date"));
  if (kind != Taken::kText) return values;
  Rcpp::CharacterVector labels(texts.size());
  for (int code = 1; code <= texts.size(); ++code) {
    const char* const text = texts.text(code);
    const std::size_t n = texts.length(code);
    if (utf8::odd_byte(text, text + n) != text + n) return R_NilValue;
    SET_STRING_ELT(labels, code - 1, Rf_mkCharLenCE(text, static_cast<int>(n), CE_UTF8));
  }
  return lazy_text::text(values, labels);
}

// R vectors with room for as many records as the blocks so far suggest. Memory that was never touched is slow to get,
// so each value is held once.
class TakenColumns {
 public:
  // `bytes` is the size of the file.
  TakenColumns(char decimal, int threads, double bytes) : decimal_(decimal), threads_(threads), bytes_(bytes) {}

  void start(const std::vector<Taken>& kinds) {
    kinds_ = kinds;
    for (int t = 0; t < threads_; ++t) gatherers_.emplace_back(decimal_, NA_REAL, kinds);
    columns_.resize(kinds.size());
    targets_.resize(kinds.size());
    codes_.resize(threads_, std::vector<std::vector<int>>(kinds.size()));
  }
  // One for each thread; none before the start.
  std::vector<Gatherer>& gatherers() { return gatherers_; }

  // Adds what the threads took of a block; with it, `read` bytes of the file are counted.
  void add(const std::vector<records::Stretch>& block, double read) {
    if (gatherers_.empty()) return;
    std::size_t more = 0;
    for (const records::Stretch& part : block) more += part.records;
    make_room(records_ + more, read);
    for (std::size_t k = 0; k < kinds_.size(); ++k) {
      if (kinds_[k] != Taken::kText) continue;
      for (int t = 0; t < threads_; ++t) texts(0, k).add_codes_of(texts(t, k), codes_[t][k]);
    }
    // Each thread has columns of its own: two that touch one page for the first time would both wait for it.
    threads::each(threads_, [&](int t) {
      for (std::size_t k = t; k < kinds_.size(); k += threads_) copy(k, block);
    });
    records_ += more;
    for (Gatherer& gatherer : gatherers_) gatherer.values().restart();
  }

  Rcpp::List list() {
    Rcpp::List out(kinds_.size());
    for (std::size_t k = 0; k < kinds_.size(); ++k) {
      if (kinds_[k] == Taken::kNot) continue;
      if (records_ == 0) columns_[k] = room_for(kinds_[k], 0);
      const Rcpp::Shield<SEXP> values(front::values(columns_[k], records_));
      out[k] = column_of(kinds_[k], values, texts(0, k));
      if (Rf_isNull(out[k])) Rcpp::stop("a text is not UTF-8");
    }
    return out;
  }

 private:
  Texts& texts(int t, std::size_t k) { return gatherers_[t].values().texts(k); }

  void make_room(std::size_t n, double read) {
    if (n <= room_) return;
    // Enough if records go on being as long as they were, and a little more; otherwise all values are copied.
    room_ = read < bytes_ ? static_cast<std::size_t>(static_cast<double>(n) * (bytes_ / read) * 1.02) : n;
    for (std::size_t k = 0; k < kinds_.size(); ++k) {
      if (kinds_[k] == Taken::kNot) continue;
      const Rcpp::RObject larger(room_for(kinds_[k], room_));
      const Target before = targets_[k];
      targets_[k] = target_in(larger);
      if (records_ > 0 && before.codes != nullptr) std::copy_n(before.codes, records_, targets_[k].codes);
      if (records_ > 0 && before.numbers != nullptr) std::copy_n(before.numbers, records_, targets_[k].numbers);
      columns_[k] = larger;
    }
  }
  void copy(std::size_t k, const std::vector<records::Stretch>& block) {
    std::size_t at = records_;
    for (const records::Stretch& part : block) {
      const Gatherer& from = gatherers_[part.thread];
      if (kinds_[k] == Taken::kText) {
        const int *own = from.codes(k), *now = codes_[part.thread][k].data();
        std::transform(own, own + part.records, targets_[k].codes + at, [&](int code) { return now[code - 1]; });
      } else if (kinds_[k] != Taken::kNot) {
        std::copy_n(from.numbers(k), part.records, targets_[k].numbers + at);
      }
      at += part.records;
    }
  }

  char decimal_;
  int threads_;
  double bytes_;
  std::vector<Taken> kinds_;
  std::vector<Gatherer> gatherers_;
  std::vector<Rcpp::RObject> columns_;
  std::vector<Target> targets_;
  // Of each thread and column: the codes that its texts have among those of the first thread.
  std::vector<std::vector<std::vector<int>>> codes_;
  std::size_t records_ = 0, room_ = 0;
};

}  // namespace relay
