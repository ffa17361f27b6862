// Orders beside lines: how far each order came through the steps of a trail.
#include <Rcpp.h>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <stdexcept>
#include <type_traits>
#include <vector>

#include "checks.h"
#include "memory.h"
#include "threads.h"

namespace orders {

inline bool missing(int v) { return v == NA_INTEGER; }
inline bool missing(double v) { return std::isnan(v); }

// The place of an order among those from `first` on; a missing order, or one in front of them, lies far behind.
inline std::size_t place_of(int v, double first) {
  return static_cast<uint32_t>(v) - static_cast<uint32_t>(static_cast<int64_t>(first));
}
inline std::size_t place_of(double v, double first) {
  const double at = v - first;
  return at >= 0 && at < 4294967296.0 ? static_cast<std::size_t>(at) : SIZE_MAX;
}

// The orders of some lines, each a number from `first` on, of which `held` are there.
template <class T>
struct Lines {
  const T* x;
  const int* rows;  // from 1; null for all
  double first;
  std::size_t held;

  // work(place, line) for lines from..to that have an order.
  template <typename Work>
  void each(std::size_t from, std::size_t to, Work work) const {
    for (std::size_t i = from; i < to; ++i) {
      const T order = x[rows == nullptr ? i : static_cast<std::size_t>(rows[i]) - 1];
      const std::size_t at = place_of(order, first);
      if (at < held) work(at, i);
      else if (!missing(order)) throw std::out_of_range("an order that is not there");
    }
  }
};

// Lines that have all reached the same step: threads mark orders in bits of their own, which stay in the cache.
template <class T>
void reach_one(const Lines<T>& lines, std::size_t n, int step, const int* before, int* out, int wanted) {
  const int count = threads::useful(n, wanted);
  std::vector<pages::Zeros<uint64_t>> marks;
  for (int t = 0; t < count; ++t) marks.emplace_back(lines.held / 64 + 1);
  threads::each_range(n, count, [&](std::size_t from, std::size_t to, int t) {
    uint64_t* mine = marks[t].get();
    lines.each(from, to, [mine](std::size_t at, std::size_t) { mine[at >> 6] |= uint64_t{1} << (at & 63); });
  });
  threads::ranges(lines.held, wanted, [&](std::size_t from, std::size_t to) {
    for (std::size_t i = from; i < to; ++i) {
      uint64_t word = 0;
      for (const auto& of_thread : marks) word |= of_thread.get()[i >> 6];
      out[i] = (word >> (i & 63) & 1) != 0 ? std::max(before[i], step) : before[i];
    }
  });
}

// Lines each of which has reached a step of its own.
template <class T>
void reach_each(const Lines<T>& lines, std::size_t n, const int* step, const int* before, int* out) {
  std::copy(before, before + lines.held, out);
  lines.each(0, n, [=](std::size_t at, std::size_t i) { out[at] = std::max(out[at], step[i]); });
}

}  // namespace orders

// Of each order the last step that one of its lines reached; `values` are the orders of lines as numbers from `first`
// on, `rows` the lines that count (NULL for all), `step` one or one for each of them.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector last_step_kernel(Rcpp::IntegerVector reached, SEXP values, double first, SEXP rows,
                                     Rcpp::IntegerVector step, int threads) {
  const bool all = Rf_isNull(rows);
  if (!all && TYPEOF(rows) != INTSXP) Rcpp::stop("rows are integers");
  if (!all) border::check_rows(INTEGER_RO(rows), Rf_xlength(rows), Rf_xlength(values), threads);
  const R_xlen_t n = Rf_xlength(all ? values : rows);
  if (step.size() != 1 && step.size() != n) Rcpp::stop("a step for each line");
  const std::size_t held = reached.size();
  const Rcpp::Shield<SEXP> out(pages::vector(INTSXP, held));
  auto take = [&](const auto* x) {
    const orders::Lines<std::decay_t<decltype(*x)>> lines{x, all ? nullptr : INTEGER_RO(rows), first, held};
    if (step.size() == 1) orders::reach_one(lines, n, step[0], reached.begin(), INTEGER(out), threads);
    else orders::reach_each(lines, n, step.begin(), reached.begin(), INTEGER(out));
  };
  if (TYPEOF(values) == INTSXP) take(INTEGER_RO(values));
  else if (TYPEOF(values) == REALSXP) take(REAL_RO(values));
  else Rcpp::stop("orders are numbers or codes");
  return Rcpp::IntegerVector(static_cast<SEXP>(out));
}
