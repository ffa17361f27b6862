// Orders beside lines: how far each order came through the steps of a trail.
#include <Rcpp.h>

#include <algorithm>
#include <atomic>
#include <cmath>

#include "checks.h"
#include "threads.h"

namespace orders {

constexpr std::size_t kAhead = 24;  // lines

// Takes lines whose orders are there; false if one is not.
template <class T, class Missing>
bool reach(int* reached, std::size_t held, const T* x, std::size_t n, const int* rows, Missing missing, double first,
           const int* step, bool one, int wanted) {
  std::atomic<bool> good{true};
  auto place = [=](std::size_t i) { return static_cast<double>(x[rows ? rows[i] - 1 : i]) - first; };
  // Threads may meet at an order if all of them write the same.
  threads::ranges(n, one ? wanted : 1, [&](std::size_t from, std::size_t to) {
    bool all = true;
    for (std::size_t i = from; i < to; ++i) {
      if (i + kAhead < to) {
        const double next = place(i + kAhead);
        if (next >= 0 && next < static_cast<double>(held)) {
          __builtin_prefetch(reached + static_cast<std::size_t>(next), 1);
        }
      }
      if (missing(x[rows ? rows[i] - 1 : i])) continue;
      const double at = place(i);
      if (!(at >= 0 && at < static_cast<double>(held))) {
        all = false;
        continue;
      }
      int* const known = reached + static_cast<std::size_t>(at);
      const int now = step[one ? 0 : i];
      if (__atomic_load_n(known, __ATOMIC_RELAXED) < now) __atomic_store_n(known, now, __ATOMIC_RELAXED);
    }
    if (!all) good = false;
  });
  return good;
}

inline bool no_int(int v) { return v == NA_INTEGER; }
inline bool no_double(double v) { return std::isnan(v); }

}  // namespace orders

// Of each order the last step that one of its lines reached; `values` are the orders of lines as numbers from `first`
// on, `rows` the lines that count (NULL for all), `step` one or one for each of them.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector last_step_kernel(Rcpp::IntegerVector reached, SEXP values, double first,
                                     Rcpp::Nullable<Rcpp::IntegerVector> rows, Rcpp::IntegerVector step, int threads) {
  Rcpp::IntegerVector out = Rcpp::clone(reached);
  const int* at = nullptr;
  R_xlen_t n = Rf_xlength(values);
  if (rows.isNotNull()) {
    const Rcpp::IntegerVector some(rows);
    at = some.begin();
    border::check_rows(at, some.size(), n, threads);
    n = some.size();
  }
  if (step.size() != 1 && step.size() != n) Rcpp::stop("a step for each line");
  const bool one = step.size() == 1;
  auto take = [&](auto* x, auto missing) {
    return orders::reach(out.begin(), out.size(), x, n, at, missing, first, step.begin(), one, threads);
  };
  if (TYPEOF(values) != INTSXP && TYPEOF(values) != REALSXP) Rcpp::stop("orders are numbers or codes");
  const bool known = TYPEOF(values) == INTSXP ? take(INTEGER(values), orders::no_int)
                                              : take(REAL(values), orders::no_double);
  if (!known) Rcpp::stop("an order that is not there");
  return out;
}
