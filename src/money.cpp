#include <Rcpp.h>

#include <climits>

#include "checks.h"
#include "exact_numbers.h"
#include "money.h"
#include "memory.h"
#include "threads.h"

// Is a value missing (NA or NaN) or infinite anywhere? Integers, doubles and logicals.
// [[Rcpp::export(rng = false)]]
bool any_unusual_kernel(SEXP x, int threads) {
  const std::size_t n = Rf_xlength(x);
  std::atomic<bool> found{false};
  const SEXP wholes = exact_numbers::wholes(x);
  if (!Rf_isNull(wholes)) return any_unusual_kernel(wholes, threads);
  if (TYPEOF(x) == REALSXP) {
    const double* value = REAL_RO(x);
    threads::ranges(n, threads, [&](std::size_t a, std::size_t b) {
      // x - x is 0 unless x is missing or infinite.
      double apart = 0;
      for (std::size_t i = a; i < b; ++i) apart += value[i] - value[i];
      if (apart != 0 || std::isnan(apart)) found = true;
    });
  } else if (TYPEOF(x) == INTSXP || TYPEOF(x) == LGLSXP) {
    const int* value = TYPEOF(x) == INTSXP ? INTEGER_RO(x) : LOGICAL_RO(x);
    threads::ranges(n, threads, [&](std::size_t a, std::size_t b) {
      int missing = 0;
      for (std::size_t i = a; i < b; ++i) missing |= value[i] == INT_MIN;
      if (missing != 0) found = true;
    });
  } else {
    return true;
  }
  return found;
}

// Units of each value: NA stays NA, NaN is not a number, Inf is too large. `whole` gives integers where all fit and
// none is missing, half the memory.
// [[Rcpp::export(rng = false)]]
SEXP minor_kernel(SEXP x, int decimals, bool half_even, bool whole, int threads) {
  const auto rounding = half_even ? money::Rounding::half_even : money::Rounding::half_up;
  const std::size_t n = Rf_xlength(x);
  const SEXP known = exact_numbers::wholes(x, money::power_of_ten(decimals));
  const bool doubles = TYPEOF(known) == REALSXP;
  if (doubles && !whole) return known;
  if (TYPEOF(known) == INTSXP && whole && !any_unusual_kernel(known, threads)) return known;
  const double* from = REAL_RO(doubles ? known : x);
  if (doubles) decimals = 0;
  if (whole) {
    Rcpp::Shield<SEXP> small(pages::vector(INTSXP, n));
    int* to = INTEGER(small);
    std::atomic<bool> fits{true};
    threads::ranges(n, threads, [&](std::size_t a, std::size_t b) {
      for (std::size_t i = a; i < b && fits.load(std::memory_order_relaxed); i += 4096) {
        for (std::size_t j = i; j < std::min(i + 4096, b); ++j) {
          const double minor = money::minor(from[j], decimals, rounding);
          if (!(std::fabs(minor) < 2147483647.0)) {
            fits = false;
            return;
          }
          to[j] = static_cast<int>(minor);
        }
      }
    });
    if (fits) return small;
  }
  Rcpp::Shield<SEXP> out(pages::vector(REALSXP, n));
  double* to = REAL(out);
  threads::ranges(n, threads, [&](std::size_t a, std::size_t b) {
    for (std::size_t i = a; i < b; ++i) to[i] = money::minor(from[i], decimals, rounding);
  });
  return out;
}

// Units of some rows (from 1; NULL for all) in currency: each is divided once by `scale`, when somebody needs it.
// [[Rcpp::export(rng = false)]]
SEXP currency_kernel(SEXP minor, double scale, SEXP rows, int threads) {
  if (!Rf_isNull(rows)) {
    const std::size_t n = Rf_xlength(rows);
    const int* row = INTEGER_RO(rows);
    border::check_rows(row, n, Rf_xlength(minor), threads);
    const Rcpp::Shield<SEXP> some(pages::vector(TYPEOF(minor), n));
    const auto gather = [&](const auto* from, auto* to) {
      threads::ranges(n, threads, [&](std::size_t a, std::size_t b) {
        for (std::size_t i = a; i < b; ++i) to[i] = from[row[i] - 1];
      });
    };
    if (TYPEOF(minor) == INTSXP) gather(INTEGER_RO(minor), INTEGER(some));
    else gather(REAL_RO(minor), REAL(some));
    return currency_kernel(some, scale, R_NilValue, threads);
  }
  if (TYPEOF(minor) == INTSXP) return exact_numbers::numbers(minor, scale);
  const std::size_t n = Rf_xlength(minor);
  const double* from = REAL_RO(minor);
  std::atomic<bool> whole{true};
  threads::ranges(n, threads, [&](std::size_t a, std::size_t b) {
    bool good = true;
    for (std::size_t i = a; i < b; ++i) good &= std::isnan(from[i]) || money::is_minor(from[i]);
    if (!good) whole = false;
  });
  if (whole) return exact_numbers::numbers(minor, scale);
  Rcpp::Shield<SEXP> out(pages::vector(REALSXP, n));
  double* to = REAL(out);
  threads::ranges(n, threads, [&](std::size_t a, std::size_t b) {
    std::transform(from + a, from + b, to + a, [&](double value) { return value / scale; });
  });
  return out;
}

// Days as whole numbers: the day that a fraction of a day belongs to. Returned as dates, because R would copy them.
// [[Rcpp::export(rng = false)]]
SEXP whole_days_kernel(SEXP days, int threads) {
  const SEXP known = exact_numbers::wholes(days);
  if (Rf_inherits(known, "Date")) return known;
  const std::size_t n = Rf_xlength(days);
  Rcpp::Shield<SEXP> out(pages::vector(INTSXP, n));
  const double* from = REAL_RO(days);
  int* to = INTEGER(out);
  threads::ranges(n, threads, [&](std::size_t a, std::size_t b) {
    for (std::size_t i = a; i < b; ++i) {
      to[i] = std::fabs(from[i]) < 2147483647.0 ? static_cast<int>(std::floor(from[i])) : NA_INTEGER;
    }
  });
  Rcpp::RObject(out).attr("class") = "Date";
  return out;
}

// Exact sum of minor units, of some rows (from 1) or all, missing ones apart; NaN when it overflows.
// [[Rcpp::export(rng = false)]]
double sum_minor_kernel(SEXP x, SEXP rows, int threads) {
  const bool all = Rf_isNull(rows);
  const std::size_t n = Rf_xlength(all ? x : rows);
  const int* row = all ? nullptr : INTEGER_RO(rows);
  if (!all) border::check_rows(row, n, Rf_xlength(x), threads);
  std::mutex mutex;
  int64_t total = 0;
  const auto add = [&](const auto& sum_of) {
    threads::ranges(n, threads, [&](std::size_t from, std::size_t to) {
      const int64_t sum = all ? sum_of(from, to, [](std::size_t i) { return i; })
                              : sum_of(from, to, [row](std::size_t i) { return static_cast<std::size_t>(row[i]) - 1; });
      std::lock_guard<std::mutex> lock(mutex);
      total = money::add(total, sum);
    });
  };
  try {
    if (TYPEOF(x) == INTSXP) {
      const int* whole = INTEGER_RO(x);
      add([whole](std::size_t i, std::size_t to, auto at) {
        // Integers cannot overflow 64 bits in any number of lines that R can hold.
        int64_t sum = 0;
        for (; i < to; ++i) sum += whole[at(i)] == INT_MIN ? 0 : whole[at(i)];
        return sum;
      });
    } else {
      const double* minor = REAL_RO(x);
      add([minor](std::size_t i, std::size_t to, auto at) {
        int64_t sum = 0;
        for (; i < to; ++i) {
          if (std::isfinite(minor[at(i)])) sum = money::add(sum, static_cast<int64_t>(minor[at(i)]));
        }
        return sum;
      });
    }
    return money::publish(total);
  } catch (const std::overflow_error&) {
    return R_NaN;
  }
}

// The fewest decimals, at most `most`, that write every value exactly; `most` + 1 when none does.
// [[Rcpp::export(rng = false)]]
int decimals_kernel(SEXP x, int most, int threads) {
  const SEXP known = exact_numbers::wholes(x);
  const R_xlen_t n = Rf_xlength(x);
  if (TYPEOF(known) == INTSXP) {
    const int* whole = INTEGER_RO(known);
    int decimals = 0;
    // What a whole number must be divisible by to have no more decimals.
    int64_t step = static_cast<int64_t>(exact_numbers::scale_of(x));
    for (R_xlen_t i = 0; i < n && step > 1; ++i) {
      if (whole[i] == INT_MIN) continue;
      for (; whole[i] % step != 0; step /= 10) ++decimals;
    }
    return std::min(decimals, most + 1);
  }
  const double* values = REAL_RO(x);
  std::atomic<int> needed{0};
  threads::ranges(n, threads, [&](std::size_t a, std::size_t b) {
    for (std::size_t from = a; from < b; from += 1024) {
      const std::size_t to = std::min(b, from + 1024);
      // Nearly all values are clearly decimals of as many as the others.
      const double scale = money::power_of_ten(std::min(needed.load(std::memory_order_relaxed), 15));
      int unclear = 0;
      for (std::size_t i = from; i < to; ++i) {
        const double scaled = std::fabs(values[i]) * scale;
        unclear |= !(std::fabs(scaled - money::nearest_whole(scaled)) <= 0.5e-15 * scaled && scaled < 1e15);
      }
      for (std::size_t i = from; i < to && unclear; ++i) {
        const double value = values[i];
        if (!std::isfinite(value) || (std::fabs(value) < 1e15 && value == money::nearest_whole(value))) continue;
        for (int now = needed; now <= most && !money::has_decimals(value, now); now = needed) {
          needed.compare_exchange_strong(now, now + 1);
        }
      }
      if (needed > most) return;
    }
  });
  return std::min(needed.load(), most + 1);
}
