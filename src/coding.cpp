// Numbers as codes in their order: those that are whole and near each other by their distance from the least, all
// others by hashing.
#include <Rcpp.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <cstring>
#include <vector>

#include "exact_numbers.h"
#include "keys.h"
#include "memory.h"
#include "sort.h"
#include "threads.h"

namespace coding {

constexpr std::size_t kAhead = 24;  // numbers

inline bool missing(int x) { return x == NA_INTEGER; }
inline bool missing(double x) { return std::isnan(x); }

struct Range {
  double least = R_PosInf, largest = R_NegInf;
  bool whole = true;
};

// A missing integer is the smallest one.
inline Range range_of_part(const int* x, std::size_t from, std::size_t to) {
  int least = INT_MAX, largest = INT_MIN;
  HINTERFELD_SIMD_ENDS(least, largest)
  for (std::size_t i = from; i < to; ++i) {
    least = std::min(least, x[i] == INT_MIN ? INT_MAX : x[i]);
    largest = std::max(largest, x[i]);
  }
  Range range;
  if (largest == INT_MIN) return range;
  range.least = least;
  range.largest = largest;
  return range;
}

inline Range range_of_part(const double* x, std::size_t from, std::size_t to) {
  Range range;
  for (std::size_t i = from; i < to; ++i) {
    // What is in order has many values that are alike.
    if (missing(x[i]) || (i > from && x[i] == x[i - 1])) continue;
    const double v = x[i];
    if (!(std::fabs(v) < 9007199254740992.0) || v != static_cast<double>(static_cast<int64_t>(v))) {
      range.whole = false;
      break;
    }
    range.least = std::min(range.least, v);
    range.largest = std::max(range.largest, v);
  }
  return range;
}

template <typename T>
Range range_of(const T* x, std::size_t n, int wanted) {
  const int count = threads::useful(n, wanted);
  std::vector<Range> own(count);
  threads::each_range(n, count, [&](std::size_t from, std::size_t to, int t) { own[t] = range_of_part(x, from, to); });
  Range all;
  for (const Range& range : own) {
    all.whole = all.whole && range.whole;
    all.least = std::min(all.least, range.least);
    all.largest = std::max(all.largest, range.largest);
  }
  return all;
}

using Marks = pages::Zeros<std::atomic<unsigned char>>;

// Marks the distances from `first` that occur.
template <typename T>
Marks mark(const T* x, std::size_t n, int64_t first, std::size_t places, int wanted) {
  Marks seen(places);
  const bool far = places > (std::size_t{1} << 15);
  auto place = [=](T v) { return static_cast<std::size_t>(static_cast<int64_t>(v) - first); };
  threads::ranges(n, wanted, [&](std::size_t from, std::size_t to) {
    for (std::size_t i = from; i < to; ++i) {
      if (far && i + kAhead < to && !missing(x[i + kAhead])) __builtin_prefetch(seen.get() + place(x[i + kAhead]));
      if (missing(x[i]) || (i > from && x[i] == x[i - 1])) continue;
      std::atomic<unsigned char>& mark = seen.get()[place(x[i])];
      // What is marked already is not written again: threads would wait for each other.
      if (mark.load(std::memory_order_relaxed) == 0) mark.store(1, std::memory_order_relaxed);
    }
  });
  return seen;
}

// Each distance from the least has a place, which becomes its code once all are known.
template <typename T>
std::vector<double> by_distance(const T* x, std::size_t n, double least, std::size_t places, int wanted, int* codes) {
  const int64_t first = static_cast<int64_t>(least);
  auto place = [=](T v) { return static_cast<std::size_t>(static_cast<int64_t>(v) - first); };
  const Marks seen = mark(x, n, first, places, wanted);
  pages::Zeros<int> code(places);
  std::vector<double> labels;
  for (std::size_t p = 0; p < places; ++p) {
    if (seen.get()[p].load(std::memory_order_relaxed) == 0) continue;
    labels.push_back(static_cast<double>(first + static_cast<int64_t>(p)));
    code.get()[p] = static_cast<int>(labels.size());
  }
  threads::ranges(n, wanted, [&](std::size_t from, std::size_t to) {
    for (std::size_t i = from; i < to; ++i) {
      if (i + kAhead < to && !missing(x[i + kAhead])) __builtin_prefetch(code.get() + place(x[i + kAhead]));
      codes[i] = missing(x[i]) ? NA_INTEGER : code.get()[place(x[i])];
    }
  });
  return labels;
}

// A number as its bits, and back: -0 is 0.
inline uint64_t bits_of(double x) {
  x += 0.0;
  uint64_t bits;
  std::memcpy(&bits, &x, sizeof bits);
  return bits;
}

inline double of_bits(uint64_t bits) {
  double x;
  std::memcpy(&x, &bits, sizeof x);
  return x;
}

// Each thread gives slots to the numbers of its lines; what all of them have is sorted, and slots become codes.
template <typename T>
std::vector<double> by_hashing(const T* x, std::size_t n, int wanted, int* codes) {
  const int count = threads::useful(n, wanted);
  std::vector<tally::Slots> slots(count);
  threads::each_range(n, count, [&](std::size_t from, std::size_t to, int t) {
    for (std::size_t i = from; i < to; ++i) {
      codes[i] = missing(x[i]) ? NA_INTEGER : static_cast<int>(slots[t].find(bits_of(static_cast<double>(x[i]))));
    }
  });
  std::vector<double> labels;
  for (const tally::Slots& own : slots) {
    for (std::size_t s = 0; s < own.size(); ++s) labels.push_back(of_bits(own.number(s)));
  }
  std::sort(labels.begin(), labels.end());
  labels.erase(std::unique(labels.begin(), labels.end()), labels.end());
  threads::each_range(n, count, [&](std::size_t from, std::size_t to, int t) {
    std::vector<int> code(slots[t].size());
    for (std::size_t s = 0; s < code.size(); ++s) {
      const auto at = std::lower_bound(labels.begin(), labels.end(), of_bits(slots[t].number(s)));
      code[s] = static_cast<int>(at - labels.begin()) + 1;
    }
    for (std::size_t i = from; i < to; ++i) {
      if (codes[i] != NA_INTEGER) codes[i] = code[codes[i]];
    }
  });
  return labels;
}

template <typename T>
std::vector<double> code(const T* x, std::size_t n, int wanted, int* codes) {
  const Range range = range_of(x, n, wanted);
  if (range.least > range.largest && range.whole) {
    std::fill(codes, codes + n, NA_INTEGER);
    return {};
  }
  const double places = range.largest - range.least + 1;
  if (range.whole && places <= 4.0 * static_cast<double>(n) + 65536) {
    return by_distance(x, n, range.least, static_cast<std::size_t>(places), wanted, codes);
  }
  return by_hashing(x, n, wanted, codes);
}

}  // namespace coding

// The codes of numbers in their order, from 1, and what they represent; a missing number has none.
// [[Rcpp::export(rng = false)]]
Rcpp::List number_codes_kernel(SEXP x, int threads) {
  const std::size_t n = static_cast<std::size_t>(Rf_xlength(x));
  if (n > INT_MAX) Rcpp::stop("more numbers than codes");
  Rcpp::Shield<SEXP> codes(pages::vector(INTSXP, n));
  std::vector<double> labels;
  const SEXP wholes = exact_numbers::wholes(x, 1);
  if (TYPEOF(wholes) == INTSXP) x = wholes;
  if (TYPEOF(x) == INTSXP || TYPEOF(x) == LGLSXP) {
    labels = coding::code(INTEGER_RO(x), n, threads, INTEGER(codes));
  } else if (TYPEOF(x) == REALSXP) {
    labels = coding::code(REAL_RO(x), n, threads, INTEGER(codes));
  } else {
    Rcpp::stop("codes are for numbers");
  }
  return Rcpp::List::create(Rcpp::_["codes"] = SEXP(codes),
                            Rcpp::_["labels"] = Rcpp::NumericVector(labels.begin(), labels.end()));
}

// The different days among days, in their order, without the missing.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector different_days_kernel(SEXP x, int threads) {
  const std::size_t n = static_cast<std::size_t>(Rf_xlength(x));
  std::vector<int> days;
  auto list = [&](const auto* value) {
    const coding::Range range = coding::range_of(value, n, threads);
    if (!range.whole || std::fabs(range.least) > INT_MAX || std::fabs(range.largest) > INT_MAX) {
      if (range.whole && range.least > range.largest) return;
      Rcpp::stop("days are whole numbers");
    }
    const int64_t first = static_cast<int64_t>(range.least);
    const std::size_t places = static_cast<std::size_t>(range.largest - range.least) + 1;
    const coding::Marks seen = coding::mark(value, n, first, places, threads);
    for (std::size_t p = 0; p < places; ++p) {
      if (seen.get()[p].load(std::memory_order_relaxed) == 0) continue;
      days.push_back(static_cast<int>(first + static_cast<int64_t>(p)));
    }
  };
  if (TYPEOF(x) == INTSXP) list(INTEGER_RO(x)); else if (TYPEOF(x) == REALSXP) list(REAL_RO(x));
  else Rcpp::stop("days are whole numbers");
  return Rcpp::IntegerVector(days.begin(), days.end());
}

// Codes of days from 1, one for every day of their span, the first and the last of them; NULL where one is missing or
// has a part of a day, or there is none.
// [[Rcpp::export(rng = false)]]
SEXP day_codes_kernel(SEXP days, int threads) {
  const std::size_t n = static_cast<std::size_t>(Rf_xlength(days));
  const auto codes_of = [&](const auto* from) -> SEXP {
    const coding::Range range = coding::range_of(from, n, threads);
    if (!range.whole || !(range.largest - range.least < INT_MAX)) return R_NilValue;
    const double before = range.least - 1;
    Rcpp::Shield<SEXP> codes(pages::vector(INTSXP, n));
    int* to = INTEGER(codes);
    std::atomic<bool> given{range.least <= range.largest};
    threads::ranges(n, threads, [&](std::size_t a, std::size_t b) {
      for (std::size_t i = a; i < b && given; ++i) {
        if (coding::missing(from[i])) given = false;
        else to[i] = static_cast<int>(from[i] - before);
      }
    });
    if (!given) return R_NilValue;
    return Rcpp::List::create(Rcpp::_["codes"] = codes, Rcpp::_["first"] = range.least,
                              Rcpp::_["last"] = range.largest);
  };
  return TYPEOF(days) == INTSXP ? codes_of(INTEGER_RO(days)) : codes_of(REAL_RO(days));
}

// Does each of the codes 1..labels occur? Mostly the first lines show it.
// [[Rcpp::export(rng = false)]]
bool all_occur_kernel(Rcpp::IntegerVector codes, int labels) {
  std::vector<char> seen(labels, 0);
  const int* code = INTEGER_RO(codes);
  const R_xlen_t n = codes.size();
  int left = labels;
  for (R_xlen_t i = 0; i < n && left > 0; ++i) {
    if (code[i] < 1 || code[i] > labels || seen[code[i] - 1]) continue;
    seen[code[i] - 1] = 1;
    --left;
  }
  return left == 0;
}

// Least and largest of whole numbers; NULL if some are not whole, or none is given.
// [[Rcpp::export(rng = false)]]
SEXP whole_range_kernel(SEXP x, int threads) {
  const std::size_t n = static_cast<std::size_t>(Rf_xlength(x));
  coding::Range range;
  range.whole = TYPEOF(x) == INTSXP || TYPEOF(x) == REALSXP;
  if (TYPEOF(x) == INTSXP) range = coding::range_of(INTEGER_RO(x), n, threads);
  if (TYPEOF(x) == REALSXP) range = coding::range_of(REAL_RO(x), n, threads);
  if (!range.whole || range.least > range.largest) return R_NilValue;
  return Rcpp::NumericVector::create(range.least, range.largest);
}
