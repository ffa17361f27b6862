// What takes all values of a group together: how many there are that differ, and the middle one. The lines are put in
// order of their group by counting, and each group is gone through once.
#include <Rcpp.h>

#include <algorithm>
#include <cmath>
#include <vector>

#include "memory.h"
#include "threads.h"

namespace grouped {

constexpr std::size_t kAhead = 24;  // values

// The values that count, group by group; `start` has where each group begins, and the end.
template <typename T>
struct Values {
  std::vector<std::size_t> start;
  pages::Zeros<T> value;
};

// `counts(i)` tells whether line i has a group and a value.
template <typename T, typename Counts>
Values<T> put_together(const int* group, std::size_t groups, const T* value, std::size_t n, int wanted, Counts counts) {
  // Every thread has a count of each group: with very many groups that is more than the lines.
  const int count = groups > n / 4 ? 1 : threads::useful(n, wanted);
  std::vector<std::vector<std::size_t>> next(count, std::vector<std::size_t>(groups, 0));
  threads::each(count, [&](int t) {
    std::size_t* mine = next[t].data();
    for (std::size_t i = n * t / count; i < n * (t + 1) / count; ++i) {
      if (counts(i)) ++mine[group[i] - 1];
    }
  });
  std::vector<std::size_t> start(groups + 1, 0);
  for (std::size_t g = 0; g < groups; ++g) {
    start[g + 1] = start[g];
    for (int t = 0; t < count; ++t) {
      const std::size_t rows = next[t][g];
      next[t][g] = start[g + 1];
      start[g + 1] += rows;
    }
  }
  Values<T> out{std::move(start), pages::Zeros<T>(n)};
  threads::each(count, [&](int t) {
    std::size_t* mine = next[t].data();
    T* to = out.value.get();
    for (std::size_t i = n * t / count; i < n * (t + 1) / count; ++i) {
      if (counts(i)) to[mine[group[i] - 1]++] = value[i];
    }
  });
  return out;
}

// work(thread, group) for each group, shared out by lines.
template <typename Work>
void each_group(const std::vector<std::size_t>& start, int wanted, Work work) {
  const std::size_t lines = start.back();
  const int count = threads::useful(lines, wanted);
  threads::each(count, [&](int t) {
    auto first = [&](int part) {
      return std::lower_bound(start.begin(), start.end() - 1, lines * part / count) - start.begin();
    };
    const std::size_t end = t + 1 == count ? start.size() - 1 : static_cast<std::size_t>(first(t + 1));
    for (std::size_t g = static_cast<std::size_t>(first(t)); g < end; ++g) work(t, g);
  });
}

inline void check(SEXP group, int groups, std::size_t n, SEXP mask) {
  if (TYPEOF(group) != INTSXP || static_cast<std::size_t>(Rf_xlength(group)) != n || groups < 0) {
    Rcpp::stop("a group for each line");
  }
  for (std::size_t i = 0; i < n; ++i) {
    const int own = INTEGER(group)[i];
    if (own != NA_INTEGER && (own < 0 || own > groups)) Rcpp::stop("a group out of range");
  }
  if (!Rf_isNull(mask) && (TYPEOF(mask) != LGLSXP || static_cast<std::size_t>(Rf_xlength(mask)) != n)) {
    Rcpp::stop("a mask for each line");
  }
}

inline const int* mask_of(SEXP mask) { return Rf_isNull(mask) ? nullptr : LOGICAL(mask); }

}  // namespace grouped

// How many distinct codes (1..size) the lines of each group (1..groups) have, where the mask allows.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector distinct_kernel(SEXP group, int groups, Rcpp::IntegerVector codes, int size, SEXP mask,
                                    int threads) {
  const std::size_t n = static_cast<std::size_t>(codes.size());
  grouped::check(group, groups, n, mask);
  const int *own = INTEGER(group), *code = INTEGER(codes), *allowed = grouped::mask_of(mask);
  for (std::size_t i = 0; i < n; ++i) {
    if (code[i] > size) Rcpp::stop("a code out of range");
  }
  const grouped::Values<int> values = grouped::put_together(
    own, static_cast<std::size_t>(groups), code, n, threads,
    [=](std::size_t i) { return own[i] > 0 && code[i] > 0 && (allowed == nullptr || allowed[i] == 1); }
  );
  Rcpp::NumericVector out(groups);
  double* number = REAL(out);
  // For each code, the last group in which a thread has seen it.
  std::vector<pages::Zeros<uint32_t>> last;
  for (int t = 0; t < std::max(threads, 1); ++t) last.emplace_back(static_cast<std::size_t>(size) + 1);
  grouped::each_group(values.start, threads, [&](int t, std::size_t g) {
    uint32_t* seen = last[t].get();
    const uint32_t mark = static_cast<uint32_t>(g) + 1;
    std::size_t found = 0;
    const int* held = values.value.get();
    for (std::size_t i = values.start[g]; i < values.start[g + 1]; ++i) {
      if (i + grouped::kAhead < values.start.back()) __builtin_prefetch(seen + held[i + grouped::kAhead], 1);
      uint32_t& before = seen[held[i]];
      found += before != mark;
      before = mark;
    }
    number[g] = static_cast<double>(found);
  });
  return out;
}

// The middle of the values of each group (1..groups), where the mask allows: the sum of the two middle ones, which of
// an odd number are one; missing for a group without a value.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector middle_kernel(SEXP group, int groups, Rcpp::NumericVector value, SEXP mask, int threads) {
  const std::size_t n = static_cast<std::size_t>(value.size());
  grouped::check(group, groups, n, mask);
  const int *own = INTEGER(group), *allowed = grouped::mask_of(mask);
  const double* number = REAL(value);
  const grouped::Values<double> values = grouped::put_together(
    own, static_cast<std::size_t>(groups), number, n, threads,
    [=](std::size_t i) { return own[i] > 0 && std::isfinite(number[i]) && (allowed == nullptr || allowed[i] == 1); }
  );
  Rcpp::NumericVector out(groups);
  double* sum = REAL(out);
  const double none = NA_REAL;
  grouped::each_group(values.start, threads, [&](int, std::size_t g) {
    double *from = values.value.get() + values.start[g], *to = values.value.get() + values.start[g + 1];
    if (from == to) {
      sum[g] = none;
      return;
    }
    double* middle = from + (to - from - 1) / 2;
    std::nth_element(from, middle, to);
    sum[g] = *middle + ((to - from) % 2 == 1 ? *middle : *std::min_element(middle + 1, to));
  });
  return out;
}
