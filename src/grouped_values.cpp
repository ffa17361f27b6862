// What takes all values of a group together: how many there are that differ, and the middle one. The lines are put in
// order of their group by counting, and each group is gone through once.
#include <Rcpp.h>

#include <algorithm>
#include <cmath>
#include <vector>

#include "memory.h"
#include "threads.h"

namespace grouped {


// The values that count, group by group; `start` has where each group begins, and the end.
template <typename T>
struct Values {
  std::vector<std::size_t> start;
  pages::Zeros<T> value;
};

// `counts(i)` tells whether line i has a group and a value, which is value(i).
template <typename T, typename Value, typename Counts>
Values<T> put_together(const int* group, std::size_t groups, Value value, std::size_t n, int wanted, Counts counts) {
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
      if (counts(i)) to[mine[group[i] - 1]++] = value(i);
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

inline void check(SEXP group, int groups, std::size_t n, SEXP mask, int wanted) {
  if (TYPEOF(group) != INTSXP || static_cast<std::size_t>(Rf_xlength(group)) != n || groups < 0) {
    Rcpp::stop("a group for each line");
  }
  const int* own = INTEGER(group);
  std::atomic<bool> good{true};
  threads::ranges(n, wanted, [&](std::size_t from, std::size_t to) {
    bool all = true;
    for (std::size_t i = from; i < to; ++i) all &= own[i] == NA_INTEGER || (own[i] >= 0 && own[i] <= groups);
    if (!all) good = false;
  });
  if (!good) Rcpp::stop("a group out of range");
  if (!Rf_isNull(mask) && (TYPEOF(mask) != LGLSXP || static_cast<std::size_t>(Rf_xlength(mask)) != n)) {
    Rcpp::stop("a mask for each line");
  }
}

inline const int* mask_of(SEXP mask) { return Rf_isNull(mask) ? nullptr : LOGICAL(mask); }

// A bit for each value of each group, set by every thread in bits of its own; how many there are of each group.
template <typename Value, typename Counts>
void count_marks(const int* group, std::size_t groups, Value value, std::size_t size, std::size_t n, int wanted,
                 Counts counts, double* number) {
  const std::size_t words = size / 64 + 1;
  const int count = threads::useful(n, wanted);
  std::vector<pages::Zeros<uint64_t>> marks;
  for (int t = 0; t < count; ++t) marks.emplace_back(groups * words);
  threads::each(count, [&](int t) {
    uint64_t* mine = marks[t].get();
    for (std::size_t i = n * t / count; i < n * (t + 1) / count; ++i) {
      if (counts(i)) {
        const uint32_t one = value(i);
        mine[static_cast<std::size_t>(group[i] - 1) * words + (one >> 6)] |= uint64_t{1} << (one & 63);
      }
    }
  });
  for (std::size_t g = 0; g < groups; ++g) {
    std::size_t found = 0;
    for (std::size_t w = g * words; w < (g + 1) * words; ++w) {
      uint64_t all = 0;
      for (const auto& of_thread : marks) all |= of_thread.get()[w];
      found += static_cast<std::size_t>(__builtin_popcountll(all));
    }
    number[g] = static_cast<double>(found);
  }
}

// How many different values there are of some, each below UINT32_MAX, by hashing into room that is used again.
inline std::size_t count_different(const uint32_t* value, std::size_t n, std::vector<uint32_t>& room) {
  int bits = 4;
  while ((std::size_t{1} << bits) < 2 * n) ++bits;
  const std::size_t width = std::size_t{1} << bits;
  room.assign(width, UINT32_MAX);
  std::size_t found = 0;
  for (std::size_t i = 0; i < n; ++i) {
    const uint32_t one = value[i];
    std::size_t at = (one * 0x9E3779B1u) >> (32 - bits);
    while (room[at] != one && room[at] != UINT32_MAX) at = (at + 1) & (width - 1);
    found += room[at] != one;
    room[at] = one;
  }
  return found;
}

// The middle of each group's values: the sum of the two middle ones, which of an odd number are one.
template <typename T, typename Counts>
void middles(const int* group, std::size_t groups, const T* value, std::size_t n, int wanted, Counts counts,
             double* sum) {
  const Values<T> values = put_together<T>(group, groups, [=](std::size_t i) { return value[i]; }, n, wanted, counts);
  const double none = NA_REAL;
  each_group(values.start, wanted, [&](int, std::size_t g) {
    T *from = values.value.get() + values.start[g], *to = values.value.get() + values.start[g + 1];
    if (from == to) {
      sum[g] = none;
      return;
    }
    T* middle = from + (to - from - 1) / 2;
    std::nth_element(from, middle, to);
    const double lower = static_cast<double>(*middle);
    sum[g] = lower + ((to - from) % 2 == 1 ? lower : static_cast<double>(*std::min_element(middle + 1, to)));
  });
}

}  // namespace grouped

// How many distinct codes, of `size` from `first` on, the lines of each group (1..groups) have, where the mask allows.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector distinct_kernel(SEXP group, int groups, Rcpp::IntegerVector codes, int first, int size, SEXP mask,
                                    int threads) {
  const std::size_t n = static_cast<std::size_t>(codes.size()), held = static_cast<std::size_t>(groups);
  grouped::check(group, groups, n, mask, threads);
  if (size < 0) Rcpp::stop("fewer than no codes");
  const int *own = INTEGER(group), *given = INTEGER(codes), *allowed = grouped::mask_of(mask);
  Rcpp::NumericVector out(groups);
  double* number = REAL(out);
  // A missing code, and any outside of them, is none of them: it lies behind the last one.
  const uint32_t least = static_cast<uint32_t>(first), many = static_cast<uint32_t>(size);
  const auto value = [=](std::size_t i) { return static_cast<uint32_t>(given[i]) - least; };
  const auto counts = [=](std::size_t i) {
    return own[i] > 0 && value(i) < many && (allowed == nullptr || allowed[i] == 1);
  };
  if (held * (static_cast<std::size_t>(size) / 64 + 1) <= std::max<std::size_t>(n / 32, 1024)) {
    grouped::count_marks(own, held, value, static_cast<std::size_t>(size), n, threads, counts, number);
    return out;
  }
  const auto values = grouped::put_together<uint32_t>(own, held, value, n, threads, counts);
  std::vector<std::vector<uint32_t>> room(std::max(threads, 1));
  grouped::each_group(values.start, threads, [&](int t, std::size_t g) {
    number[g] = static_cast<double>(grouped::count_different(values.value.get() + values.start[g],
                                                             values.start[g + 1] - values.start[g], room[t]));
  });
  return out;
}

// The middle of the values of each group (1..groups), where the mask allows: the sum of the two middle ones, which of
// an odd number are one; missing for a group without a value.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector middle_kernel(SEXP group, int groups, SEXP value, SEXP mask, int threads) {
  const std::size_t n = static_cast<std::size_t>(Rf_xlength(value));
  grouped::check(group, groups, n, mask, threads);
  const int *own = INTEGER(group), *allowed = grouped::mask_of(mask);
  const auto counts = [=](std::size_t i) { return own[i] > 0 && (allowed == nullptr || allowed[i] == 1); };
  Rcpp::NumericVector out(groups);
  const std::size_t held = static_cast<std::size_t>(groups);
  if (TYPEOF(value) == INTSXP) {
    const int* whole = INTEGER(value);
    grouped::middles(own, held, whole, n, threads, [=](std::size_t i) { return counts(i) && whole[i] != NA_INTEGER; },
                     REAL(out));
  } else if (TYPEOF(value) == REALSXP) {
    const double* number = REAL(value);
    grouped::middles(own, held, number, n, threads,
                     [=](std::size_t i) { return counts(i) && std::isfinite(number[i]); }, REAL(out));
  } else {
    Rcpp::stop("values are numbers");
  }
  return out;
}
