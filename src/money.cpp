#include <Rcpp.h>

#include <climits>

#include "money.h"
#include "memory.h"
#include "threads.h"

// Units of each value: NA stays NA, NaN is not a number, Inf is too large. `whole` gives integers where all fit and
// none is missing, half the memory.
// [[Rcpp::export(rng = false)]]
SEXP minor_kernel(Rcpp::NumericVector x, int decimals, bool half_even, bool whole, int threads) {
  const auto rounding = half_even ? money::Rounding::half_even : money::Rounding::half_up;
  const std::size_t n = x.size();
  const double* from = REAL_RO(x);
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

// Units of some rows (from 1; NULL for all) in currency: each divided once by `scale`.
// [[Rcpp::export(rng = false)]]
SEXP currency_kernel(SEXP minor, double scale, SEXP rows, int threads) {
  const bool all = Rf_isNull(rows);
  const std::size_t n = Rf_xlength(all ? minor : rows);
  const int* row = all ? nullptr : INTEGER_RO(rows);
  Rcpp::Shield<SEXP> out(pages::vector(REALSXP, n));
  double* to = REAL(out);
  auto fill = [&](auto value) {
    threads::ranges(n, threads, [&](std::size_t a, std::size_t b) {
      for (std::size_t i = a; i < b; ++i) to[i] = value(all ? i : row[i] - 1) / scale;
    });
  };
  if (TYPEOF(minor) == INTSXP) {
    const int* from = INTEGER_RO(minor);
    fill([from](std::size_t i) { return from[i] == INT_MIN ? NA_REAL : static_cast<double>(from[i]); });
  } else {
    const double* from = REAL_RO(minor);
    fill([from](std::size_t i) { return from[i]; });
  }
  return out;
}

// Is a value missing (NA or NaN) or infinite anywhere? Integers, doubles and logicals.
// [[Rcpp::export(rng = false)]]
bool any_unusual_kernel(SEXP x, int threads) {
  const std::size_t n = Rf_xlength(x);
  std::atomic<bool> found{false};
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

// Days as whole numbers: the day that a fraction of a day belongs to. Returned as dates, because R would copy them.
// [[Rcpp::export(rng = false)]]
SEXP whole_days_kernel(SEXP days, int threads) {
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

// Codes of days from 1, one for every day of their span, the first and the last of them; NULL where one is missing or
// has a part of a day, or there is none.
// [[Rcpp::export(rng = false)]]
SEXP day_codes_kernel(Rcpp::NumericVector days, int threads) {
  const std::size_t n = days.size();
  const double* from = REAL_RO(days);
  std::mutex mutex;
  double least = R_PosInf, most = R_NegInf;
  std::atomic<bool> whole{n > 0};
  threads::ranges(n, threads, [&](std::size_t a, std::size_t b) {
    double low = R_PosInf, high = R_NegInf;
    bool good = true;
    for (std::size_t i = a; i < b; ++i) {
      if (i > a && from[i] == from[i - 1]) continue;
      low = std::min(low, from[i]);
      high = std::max(high, from[i]);
      good = good && std::fabs(from[i]) < 2147483647.0 && from[i] == std::floor(from[i]);
    }
    if (!good) whole = false;
    std::lock_guard<std::mutex> lock(mutex);
    least = std::min(least, low);
    most = std::max(most, high);
  });
  if (!whole || most - least >= 2147483647.0) return R_NilValue;
  Rcpp::Shield<SEXP> codes(pages::vector(INTSXP, n));
  int* to = INTEGER(codes);
  threads::ranges(n, threads, [&](std::size_t a, std::size_t b) {
    for (std::size_t i = a; i < b; ++i) to[i] = static_cast<int>(from[i] - least) + 1;
  });
  return Rcpp::List::create(Rcpp::_["codes"] = codes, Rcpp::_["first"] = least, Rcpp::_["last"] = most);
}

// Exact sum of minor units, of some rows (from 1) or all, missing ones apart; NaN when it overflows.
// [[Rcpp::export(rng = false)]]
double sum_minor_kernel(SEXP x, SEXP rows, int threads) {
  const bool all = Rf_isNull(rows);
  const std::size_t n = Rf_xlength(all ? x : rows);
  const R_xlen_t held = Rf_xlength(x);
  const int* row = all ? nullptr : INTEGER_RO(rows);
  const int* whole = TYPEOF(x) == INTSXP ? INTEGER_RO(x) : nullptr;
  const double* minor = whole == nullptr ? REAL_RO(x) : nullptr;
  std::mutex mutex;
  int64_t total = 0;
  try {
    threads::ranges(n, threads, [&](std::size_t from, std::size_t to) {
      int64_t sum = 0;
      for (std::size_t i = from; i < to; ++i) {
        const R_xlen_t at = all ? static_cast<R_xlen_t>(i) : static_cast<R_xlen_t>(row[i]) - 1;
        if (at < 0 || at >= held) throw std::out_of_range("rows that are not there");
        if (whole != nullptr) {
          // Integers cannot overflow 64 bits in any number of lines that R can hold.
          sum += whole[at] == INT_MIN ? 0 : whole[at];
        } else if (std::isfinite(minor[at])) {
          sum = money::add(sum, static_cast<int64_t>(minor[at]));
        }
      }
      std::lock_guard<std::mutex> lock(mutex);
      total = money::add(total, sum);
    });
    return money::publish(total);
  } catch (const std::overflow_error&) {
    return R_NaN;
  }
}

// The fewest decimals, at most `most`, that write every value exactly; `most` + 1 when none does.
// [[Rcpp::export(rng = false)]]
int decimals_kernel(Rcpp::NumericVector x, int most) {
  int decimals = 0;
  const double* values = REAL_RO(x);
  const R_xlen_t n = x.size();
  for (R_xlen_t i = 0; i < n; ++i) {
    const double value = values[i];
    if (!std::isfinite(value) || (std::fabs(value) < 1e15 && value == money::nearest_whole(value))) continue;
    while (decimals <= most && !money::has_decimals(value, decimals)) ++decimals;
    if (decimals > most) break;
  }
  return decimals;
}
