// The columns of a file that are taken while its records are counted, block by block.
#pragma once
#include <Rcpp.h>

#include <algorithm>
#include <cstddef>
#include <vector>

#include "exact_numbers.h"
#include "field_values.h"
#include "front.h"
#include "lazy_text.h"
#include "memory.h"
#include "money.h"
#include "record_count.h"
#include "threads.h"
#include "utf8.h"

namespace relay {

// Room for n codes, numbers or days.
inline SEXP room_for(Taken kind, std::size_t n) { return pages::vector(kind == Taken::kNumber ? REALSXP : INTSXP, n); }

inline Target target_in(SEXP values) {
  Target out;
  if (TYPEOF(values) == INTSXP) out.codes = INTEGER(values);
  else if (TYPEOF(values) == REALSXP) out.numbers = REAL(values);
  return out;
}

// A column of such values: codes are the numbers of `texts`. NULL if a text is not UTF-8.
inline SEXP column_of(Taken kind, SEXP values, const AllTexts& texts) {
  if (kind == Taken::kDay) {
    // The whole numbers are dates too, because a daybook takes them as its days.
    const Rcpp::Shield<SEXP> date(Rf_mkString("Date")), days(exact_numbers::numbers(values, 1));
    Rf_setAttrib(values, R_ClassSymbol, date);
    Rf_setAttrib(days, R_ClassSymbol, date);
    return days;
  }
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
    decimals_.resize(kinds.size());
    for (std::size_t k = 0; k < kinds.size(); ++k) texts_.emplace_back(gatherers_[0].values().texts(k));
    numbers_.resize(threads_, std::vector<std::vector<int>>(kinds.size()));
  }
  // One for each thread; none before the start.
  std::vector<Gatherer>& gatherers() { return gatherers_; }

  // Adds what the threads took of a block. With it `read` bytes of the file are counted; `told` is what the columns
  // have looked like so far.
  void add(const std::vector<records::Stretch>& block, double read, const std::vector<profile::Column>& told) {
    if (gatherers_.empty()) return;
    std::size_t more = 0;
    for (const records::Stretch& part : block) more += part.records;
    if (records_ == 0) {
      for (std::size_t k = 0; k < kinds_.size(); ++k) decimals_[k] = told[k].decimals();
    }
    make_room(records_ + more, read);
    for (std::size_t k = 0; k < kinds_.size(); ++k) {
      if (kinds_[k] != Taken::kText) continue;
      for (const records::Stretch& part : block) {
        texts_[k].add(gatherers_[part.thread].values().texts(k), part.texts[k], numbers_[part.thread][k]);
      }
    }
    // A column is copied by one thread: two that touch one page for the first time would both wait for it.
    std::vector<char> fits(kinds_.size(), 1);
    threads::in_turn(static_cast<int>(kinds_.size()), threads_, [&](int k, int) { fits[k] = copy(k, block); });
    for (std::size_t k = 0; k < kinds_.size(); ++k) {
      if (fits[k]) continue;
      hold_doubles(k);
      copy(k, block);
    }
    records_ += more;
    for (Gatherer& gatherer : gatherers_) gatherer.values().restart();
  }

  Rcpp::List list() {
    Rcpp::List out(kinds_.size());
    for (std::size_t k = 0; k < kinds_.size(); ++k) {
      if (kinds_[k] == Taken::kNot) continue;
      if (records_ == 0) columns_[k] = room_for(kinds_[k], 0);
      const Rcpp::Shield<SEXP> values(front::values(columns_[k], records_));
      out[k] = is_exact(k) ? exact_numbers::numbers(values, scale(k)) : column_of(kinds_[k], values, texts_[k]);
      if (Rf_isNull(out[k])) Rcpp::stop("a text is not UTF-8");
    }
    return out;
  }

 private:
  void make_room(std::size_t n, double read) {
    if (n <= room_) return;
    // Enough if records go on being as long as they were, and a little more; otherwise all values are copied.
    room_ = read < bytes_ ? static_cast<std::size_t>(static_cast<double>(n) * (bytes_ / read) * 1.02) : n;
    for (std::size_t k = 0; k < kinds_.size(); ++k) {
      if (kinds_[k] == Taken::kNot) continue;
      const Rcpp::RObject larger(is_exact(k) ? pages::vector(INTSXP, room_) : room_for(kinds_[k], room_));
      const Target before = targets_[k];
      targets_[k] = target_in(larger);
      if (records_ > 0 && before.codes != nullptr) std::copy_n(before.codes, records_, targets_[k].codes);
      if (records_ > 0 && before.numbers != nullptr) std::copy_n(before.numbers, records_, targets_[k].numbers);
      columns_[k] = larger;
    }
  }
  // Are the numbers of a column held as whole numbers?
  bool is_exact(std::size_t k) const { return kinds_[k] == Taken::kNumber && decimals_[k] >= 0; }
  double scale(std::size_t k) const { return money::power_of_ten(decimals_[k]); }
  // For a column with a number that is too large, or has more decimals than the numbers of the first block.
  void hold_doubles(std::size_t k) {
    const Rcpp::RObject doubles(room_for(Taken::kNumber, room_));
    const int* const whole = targets_[k].codes;
    std::transform(whole, whole + records_, REAL(doubles),
                   [&](int value) { return exact_numbers::number_of(value, scale(k), NA_REAL); });
    decimals_[k] = -1;
    columns_[k] = doubles;
    targets_[k] = target_in(doubles);
  }
  // False if a number does not fit.
  bool copy(std::size_t k, const std::vector<records::Stretch>& block) {
    std::size_t at = records_;
    bool bad = false;
    for (const records::Stretch& part : block) {
      const Gatherer& from = gatherers_[part.thread];
      if (kinds_[k] == Taken::kText) {
        const int *own = from.codes(k) + part.before, *number = numbers_[part.thread][k].data();
        std::transform(own, own + part.records, targets_[k].codes + at, [&](int code) { return number[code - 1]; });
      } else if (kinds_[k] == Taken::kDay) {
        std::copy_n(from.codes(k) + part.before, part.records, targets_[k].codes + at);
      } else if (is_exact(k)) {
        const double* const number = from.numbers(k) + part.before;
        const double to_wholes = scale(k);
        std::transform(number, number + part.records, targets_[k].codes + at,
                       [&](double value) { return exact_numbers::whole_of(value, to_wholes, bad); });
      } else if (kinds_[k] == Taken::kNumber) {
        std::copy_n(from.numbers(k) + part.before, part.records, targets_[k].numbers + at);
      }
      at += part.records;
    }
    return !bad;
  }

  char decimal_;
  int threads_;
  double bytes_;
  std::vector<Taken> kinds_;
  std::vector<Gatherer> gatherers_;
  std::vector<Rcpp::RObject> columns_;
  std::vector<Target> targets_;
  std::vector<int> decimals_;
  // The texts of each column, in the order in which they appear in the file, whichever thread took them; and of each
  // thread and column their numbers.
  std::vector<AllTexts> texts_;
  std::vector<std::vector<std::vector<int>>> numbers_;
  std::size_t records_ = 0, room_ = 0;
};

}  // namespace relay
