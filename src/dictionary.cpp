#include <Rcpp.h>

#include <algorithm>
#include <climits>
#include <vector>

#include "checks.h"
#include "lazy_text.h"
#include "memory.h"
#include "threads.h"

namespace {

// Codes of strings by identity: R keeps one copy of each string, so equal strings of one encoding are one pointer.
class Dictionary {
 public:
  Dictionary() : table_(1024) {}

  int code(SEXP string) {
    const Entry* table = table_.data();
    std::size_t at = place(string);
    while (table[at].string != nullptr) {
      if (table[at].string == string) return table[at].code;
      at = (at + 1) & (table_.size() - 1);
    }
    return append(string, at);
  }

  // Codes of strings from..to.
  void code(const SEXP* strings, std::size_t from, std::size_t to, int* out) {
    for (std::size_t i = from; i < to; ++i) out[i] = code(strings[i]);
  }
  const std::vector<SEXP>& strings() const { return strings_; }

 private:
  struct Entry {
    SEXP string = nullptr;
    int code = 0;
  };
  std::size_t place(SEXP string) const {
    const uint64_t address = reinterpret_cast<uint64_t>(string) >> 4;
    return (address * 0x9E3779B97F4A7C15u >> 32) & (table_.size() - 1);
  }
  int append(SEXP string, std::size_t at) {
    strings_.push_back(string);
    const int code = static_cast<int>(strings_.size());
    table_[at].string = string;
    table_[at].code = code;
    if (strings_.size() * 2 > table_.size()) grow();
    return code;
  }
  void grow() {
    table_.assign(table_.size() * 2, Entry());
    for (std::size_t k = 0; k < strings_.size(); ++k) {
      std::size_t at = place(strings_[k]);
      while (table_[at].string != nullptr) at = (at + 1) & (table_.size() - 1);
      table_[at].string = strings_[k];
      table_[at].code = static_cast<int>(k) + 1;
    }
  }

  std::vector<Entry> table_;
  std::vector<SEXP> strings_;
};

// Every code must have a label; those below 1 have none. Code that reads them later need not check again.
void check_at_most(const int* codes, std::size_t n, R_xlen_t labels, int wanted) {
  std::atomic<bool> good{true};
  threads::ranges(n, wanted, [&](std::size_t a, std::size_t b) {
    int most = INT_MIN;
    for (std::size_t i = a; i < b; ++i) most = std::max(most, codes[i]);
    if (most > labels) good = false;
  });
  if (!good) Rcpp::stop("a code without a label");
}

// Text that comes in pieces, coded as it comes: the codes of all of it, and the distinct texts.
class TextColumn {
 public:
  explicit TextColumn(std::size_t n) : codes_(pages::vector(INTSXP, n)) {}

  void add(SEXP x, std::size_t at, int threads) {
    const std::size_t n = Rf_xlength(x);
    if (at + n > static_cast<std::size_t>(codes_.size())) Rcpp::stop("more text than there is room for");
    int* out = INTEGER(codes_) + at;
    if (lazy_text::is_text(x)) {
      add_coded(lazy_text::codes(x), lazy_text::labels(x), out, threads);
      hold_labels();
      return;
    }
    const SEXP* strings = STRING_PTR_RO(x);
    const int count = threads::useful(n, threads);
    std::vector<Dictionary> found(count);
    threads::each_range(n, count, [&](std::size_t a, std::size_t b, int t) { found[t].code(strings, a, b, out); });
    // What the first thread found first of all has its codes already.
    const int coded = known_.strings().empty() ? 1 : 0;
    if (coded == 1) known_ = std::move(found[0]);
    std::vector<std::vector<int>> now(count);
    for (int t = coded; t < count; ++t) {
      for (SEXP string : found[t].strings()) now[t].push_back(known_.code(string));
    }
    hold_labels();
    threads::each_range(n, count, [&](std::size_t a, std::size_t b, int t) {
      if (t < coded) return;
      const int* const code = now[t].data();
      for (std::size_t i = a; i < b; ++i) out[i] = code[out[i] - 1];
    });
  }
  Rcpp::List parts() const {
    Rcpp::CharacterVector labels(pages::vector(STRSXP, held_));
    for (std::size_t k = 0; k < held_; ++k) SET_STRING_ELT(labels, k, STRING_ELT(labels_, k));
    return Rcpp::List::create(Rcpp::_["codes"] = codes_, Rcpp::_["labels"] = labels);
  }

 private:
  void add_coded(SEXP codes, SEXP labels, int* out, int threads) {
    const int* from = INTEGER_RO(codes);
    const std::size_t n = Rf_xlength(codes), known = Rf_xlength(labels);
    check_at_most(from, n, static_cast<R_xlen_t>(known), threads);
    std::vector<int> now(1, 0);
    for (std::size_t k = 0; k < known; ++k) now.push_back(known_.code(STRING_ELT(labels, k)));
    std::atomic<bool> none{false};
    threads::ranges(n, threads, [&](std::size_t a, std::size_t b) {
      int least = 1;
      for (std::size_t i = a; i < b; ++i) {
        least = std::min(least, from[i]);
        out[i] = now[std::max(from[i], 0)];
      }
      if (least < 1) none = true;
    });
    if (none) std::replace(out, out + n, 0, known_.code(NA_STRING));
  }
  // Keeps strings from being garbage collected while the dictionary refers to them by their addresses.
  void hold_labels() {
    const std::vector<SEXP>& strings = known_.strings();
    const std::size_t room = labels_.size();
    if (strings.size() > room) {
      Rcpp::CharacterVector larger(pages::vector(STRSXP, std::max(strings.size(), 2 * room)));
      for (std::size_t k = 0; k < held_; ++k) SET_STRING_ELT(larger, k, STRING_ELT(labels_, k));
      labels_ = larger;
    }
    for (; held_ < strings.size(); ++held_) SET_STRING_ELT(labels_, held_, strings[held_]);
  }

  Dictionary known_;
  Rcpp::IntegerVector codes_;
  Rcpp::CharacterVector labels_;
  std::size_t held_ = 0;
};

}  // namespace

// Codes of texts, numbered by first appearance (NA_character_ too), and the distinct texts. Threads read pointers only.
// [[Rcpp::export(rng = false)]]
Rcpp::List encode_text_kernel(SEXP x, int threads) {
  TextColumn column(Rf_xlength(x));
  column.add(x, 0, threads);
  return column.parts();
}

// A column of n texts that come in pieces.
// [[Rcpp::export(rng = false)]]
SEXP text_column_kernel(double n) {
  return Rcpp::XPtr<TextColumn>(new TextColumn(static_cast<std::size_t>(n)));
}

// The next piece, behind `at` texts that came before.
// [[Rcpp::export(rng = false)]]
void add_text_kernel(SEXP column, SEXP x, double at, int threads) {
  Rcpp::XPtr<TextColumn>(column)->add(x, static_cast<std::size_t>(at), threads);
}

// Codes of all texts, numbered by first appearance, and what they represent.
// [[Rcpp::export(rng = false)]]
Rcpp::List coded_text_kernel(SEXP column) {
  return Rcpp::XPtr<TextColumn>(column)->parts();
}

// A vector of n doubles that come in pieces; the caller fills all of them.
// [[Rcpp::export(rng = false)]]
SEXP number_column_kernel(double n) {
  return pages::vector(REALSXP, static_cast<std::size_t>(n));
}

// Integers or doubles into a column of doubles that only this caller holds, behind `at` others.
// [[Rcpp::export(rng = false)]]
void add_numbers_kernel(SEXP column, SEXP x, double at, int threads) {
  const R_xlen_t n = Rf_xlength(x), from = static_cast<R_xlen_t>(at);
  if (TYPEOF(column) != REALSXP || from + n > Rf_xlength(column)) Rcpp::stop("more numbers than there is room for");
  double* out = REAL(column) + from;
  const double* numbers = TYPEOF(x) == REALSXP ? REAL_RO(x) : nullptr;
  const int* whole = numbers == nullptr ? INTEGER_RO(x) : nullptr;
  threads::ranges(n, threads, [&](std::size_t a, std::size_t b) {
    if (numbers != nullptr) {
      std::copy(numbers + a, numbers + b, out + a);
      return;
    }
    for (std::size_t i = a; i < b; ++i) out[i] = whole[i] == NA_INTEGER ? NA_REAL : whole[i];
  });
}

// What represents each code: to[code - 1], and `missing` for NA and codes below 1.
// [[Rcpp::export(rng = false)]]
SEXP recode_kernel(Rcpp::IntegerVector codes, Rcpp::IntegerVector to, int missing, int threads) {
  const std::size_t n = codes.size();
  check_at_most(INTEGER_RO(codes), n, Rf_xlength(to), threads);
  Rcpp::Shield<SEXP> result(pages::vector(INTSXP, n));
  int* out = INTEGER(result);
  const int *now = INTEGER_RO(to), *from = INTEGER_RO(codes);
  threads::ranges(n, threads, [&](std::size_t a, std::size_t b) {
    for (std::size_t i = a; i < b; ++i) out[i] = from[i] <= 0 ? missing : now[from[i] - 1];
  });
  return result;
}

// Is any code a missing one or a total, below 1?
// [[Rcpp::export(rng = false)]]
bool any_special_kernel(Rcpp::IntegerVector codes, int threads) {
  const int* code = INTEGER_RO(codes);
  std::atomic<bool> found{false};
  threads::ranges(codes.size(), threads, [&](std::size_t a, std::size_t b) {
    int least = INT_MAX;
    HINTERFELD_SIMD_MIN(least)
    for (std::size_t i = a; i < b; ++i) least = std::min(least, code[i]);
    if (least < 1) found = true;
  });
  return found;
}

// Some rows of each column: integers, doubles and logicals, with their attributes. NULL for a column of another type.
// [[Rcpp::export(rng = false)]]
Rcpp::List rows_kernel(Rcpp::List columns, Rcpp::IntegerVector rows, int threads) {
  const std::size_t n = rows.size();
  const int* row = INTEGER_RO(rows);
  R_xlen_t held = R_XLEN_T_MAX;
  Rcpp::List out(columns.size());
  for (R_xlen_t k = 0; k < columns.size(); ++k) {
    SEXP x = columns[k];
    const int type = TYPEOF(x);
    if (type != INTSXP && type != REALSXP && type != LGLSXP) continue;
    if (Rf_xlength(x) < held) {
      held = Rf_xlength(x);
      border::check_rows(row, n, held, threads);
    }
    Rcpp::Shield<SEXP> taken(pages::vector(type, n));
    if (type == REALSXP) {
      const double* from = REAL_RO(x);
      double* to = REAL(taken);
      threads::ranges(n, threads, [&](std::size_t a, std::size_t b) {
        for (std::size_t i = a; i < b; ++i) to[i] = from[row[i] - 1];
      });
    } else {
      const int* from = type == INTSXP ? INTEGER_RO(x) : LOGICAL_RO(x);
      int* to = type == INTSXP ? INTEGER(taken) : LOGICAL(taken);
      threads::ranges(n, threads, [&](std::size_t a, std::size_t b) {
        for (std::size_t i = a; i < b; ++i) to[i] = from[row[i] - 1];
      });
    }
    Rf_copyMostAttrib(x, taken);
    out[k] = taken;
  }
  return out;
}

// What the codes (from 1) of some rows (from 1) represent, with the attributes of the labels: integers or doubles.
// [[Rcpp::export(rng = false)]]
SEXP label_values_kernel(SEXP labels, Rcpp::IntegerVector codes, Rcpp::IntegerVector rows, int threads) {
  const std::size_t n = rows.size();
  const int *code = INTEGER_RO(codes), *row = INTEGER_RO(rows);
  border::check_rows(row, n, codes.size(), threads);
  border::check_rows(code, codes.size(), Rf_xlength(labels), threads);
  Rcpp::Shield<SEXP> out(pages::vector(TYPEOF(labels), n));
  auto fill = [&](const auto* label, auto* to) {
    threads::ranges(n, threads, [&](std::size_t a, std::size_t b) {
      for (std::size_t i = a; i < b; ++i) to[i] = label[code[row[i] - 1] - 1];
    });
  };
  if (TYPEOF(labels) == REALSXP) fill(REAL_RO(labels), REAL(out));
  else fill(INTEGER_RO(labels), INTEGER(out));
  Rf_copyMostAttrib(labels, out);
  return out;
}

// Does this text stand anywhere? Both in UTF-8, so equal texts are one string.
// [[Rcpp::export(rng = false)]]
bool holds_text_kernel(SEXP x, std::string text) {
  const Rcpp::Shield<SEXP> wanted(Rf_mkCharLenCE(text.data(), static_cast<int>(text.size()), CE_UTF8));
  const SEXP same = wanted;
  const bool coded = lazy_text::is_text(x);
  SEXP strings = coded ? lazy_text::labels(x) : x;
  const SEXP* string = STRING_PTR_RO(strings);
  const R_xlen_t n = Rf_xlength(strings);
  for (R_xlen_t i = 0; i < n; ++i) {
    if (string[i] != same) continue;
    if (!coded) return true;
    const int* code = INTEGER_RO(lazy_text::codes(x));
    if (std::find(code, code + Rf_xlength(x), static_cast<int>(i) + 1) != code + Rf_xlength(x)) return true;
  }
  return false;
}
