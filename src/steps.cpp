#include <Rcpp.h>

#include "checks.h"
#include "sort.h"
#include "memory.h"
#include "ranks.h"
#include "running.h"

namespace {

ranks::Ties ties_of(const std::string& name) {
  if (name == "standard") return ranks::Ties::standard;
  if (name == "dense") return ranks::Ties::dense;
  if (name == "ordinal") return ranks::Ties::ordinal;
  if (name == "modified") return ranks::Ties::modified;
  if (name == "fractional") return ranks::Ties::fractional;
  Rcpp::stop("unknown rule for ties: %s", name);
}

// Row numbers from 0.
std::vector<int> from_zero(const Rcpp::IntegerVector& order) {
  std::vector<int> out(order.begin(), order.end());
  for (int& row : out) --row;
  return out;
}

}  // namespace

// Rank of each row; `order` puts rows in order of scope and from the best value, missing ones last.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector rank_kernel(Rcpp::IntegerVector order, Rcpp::IntegerVector scope, Rcpp::NumericVector value,
                                std::string ties, int threads) {
  const std::size_t n = order.size();
  if (value.size() != order.size() || scope.size() != order.size()) Rcpp::stop("a scope and a value for each row");
  const Rcpp::Shield<SEXP> out(pages::vector(REALSXP, n));
  double* to = REAL(out);
  const int *row = order.begin(), *of = scope.begin();
  const double* x = value.begin();
  const ranks::Ties rule = ties_of(ties);
  const int count = threads::useful(n, threads);
  // Each thread takes whole scopes.
  auto bound = [&](int t) {
    std::size_t at = n * t / count;
    while (at > 0 && at < n && of[row[at] - 1] == of[row[at - 1] - 1]) ++at;
    return at;
  };
  threads::each(count, [&](int t) {
    ranks::assign(row, bound(t), bound(t + 1), of, x, rule, [to](int at, double rank) { to[at] = rank; });
  });
  return Rcpp::NumericVector(static_cast<SEXP>(out));
}

// Each value divided by that of its scope (from 1).
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector quotient_kernel(Rcpp::NumericVector value, Rcpp::NumericVector by, Rcpp::IntegerVector scope,
                                    int threads) {
  const std::size_t n = value.size();
  if (scope.size() != value.size()) Rcpp::stop("a scope for each value");
  border::check_rows(scope.begin(), n, by.size(), threads);
  const Rcpp::Shield<SEXP> out(pages::vector(REALSXP, n));
  double* to = REAL(out);
  const double *over = value.begin(), *under = by.begin();
  const int* of = scope.begin();
  threads::ranges(n, threads, [&](std::size_t from, std::size_t end) {
    for (std::size_t i = from; i < end; ++i) to[i] = over[i] / under[of[i] - 1];
  });
  return Rcpp::NumericVector(static_cast<SEXP>(out));
}

// Running totals (width 0) or moving sums over `width` places, in minor units; `order` puts rows in order of
// scope and place. NaN everywhere when a total does not fit.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector running_kernel(Rcpp::IntegerVector order, Rcpp::IntegerVector scope, Rcpp::IntegerVector place,
                                   Rcpp::NumericVector value, int width) {
  Rcpp::NumericVector out(value.size(), NA_REAL);
  double* to = REAL(out);
  auto put = [&](int row, int64_t total) { to[row] = money::publish(total); };
  const std::vector<int> rows = from_zero(order);
  try {
    if (width == 0) {
      running::totals(rows.data(), rows.size(), scope.begin(), place.begin(), value.begin(), put);
    } else {
      running::moving(rows.data(), rows.size(), scope.begin(), place.begin(), value.begin(), width, put);
    }
  } catch (const std::overflow_error&) {
    std::fill(out.begin(), out.end(), R_NaN);
  }
  return out;
}

// Running totals of rows that are in order of place, in scopes from 1; NULL where they are in another order.
// [[Rcpp::export(rng = false)]]
SEXP running_in_order_kernel(Rcpp::IntegerVector scope, int scopes, Rcpp::IntegerVector place,
                             Rcpp::NumericVector value) {
  const R_xlen_t n = scope.size();
  if (place.size() != n || value.size() != n) Rcpp::stop("a scope, a place and a value for each row");
  for (const int own : scope) {
    if (own < 1 || own > scopes) Rcpp::stop("a scope out of range");
  }
  const Rcpp::Shield<SEXP> out(pages::vector(REALSXP, n));
  double* to = REAL(out);
  try {
    if (!running::totals_in_order(static_cast<std::size_t>(n), scope.begin(), static_cast<std::size_t>(scopes),
                                  place.begin(), value.begin(),
                                  [&](std::size_t row, int64_t total) { to[row] = money::publish(total); },
                                  [&](std::size_t row) { to[row] = NA_REAL; })) {
      return R_NilValue;
    }
  } catch (const std::overflow_error&) {
    std::fill(to, to + n, R_NaN);
  }
  return out;
}

// Row numbers (from 1) in order of scope, value and name; without `value` of names only. `codes` (NULL for none) are
// names, -1 a total, which comes last; `rank` tells the place of each code, NULL that codes are places.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector order_kernel(Rcpp::IntegerVector scope, int scopes, SEXP value, SEXP codes, SEXP rank,
                                 bool highest_first,
                                 int threads) {
  const std::size_t n = scope.size();
  order::By by;
  if (!Rf_isNull(value)) by.value = REAL_RO(value);
  if (!Rf_isNull(codes)) by.code = INTEGER_RO(codes);
  if (!Rf_isNull(rank)) by.rank = INTEGER_RO(rank);
  by.highest_first = highest_first;
  Rcpp::Shield<SEXP> result(pages::vector(INTSXP, n));
  int* out = INTEGER(result);
  order::in_scopes(n, INTEGER_RO(scope), scopes, by, threads, out);
  threads::ranges(n, threads, [&](std::size_t from, std::size_t to) {
    for (std::size_t i = from; i < to; ++i) ++out[i];
  });
  return Rcpp::IntegerVector(static_cast<SEXP>(result));
}

// Rows (from 1) that hold one of the `n` best distinct values of their scope: all that any tie rule can rank `n` or
// better.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector top_rows_kernel(Rcpp::IntegerVector scope, int scopes, Rcpp::NumericVector value, int n,
                                   bool highest_first) {
  const std::size_t rows = scope.size(), most = n;
  const int* of = INTEGER_RO(scope);
  const double* x = REAL_RO(value);
  std::vector<uint64_t> best((static_cast<std::size_t>(scopes) + 1) * most, UINT64_MAX);
  for (std::size_t i = 0; i < rows; ++i) {
    uint64_t* mine = best.data() + of[i] * most;
    const uint64_t key = order::key(x[i], highest_first);
    if (key >= mine[most - 1]) continue;
    uint64_t* at = std::lower_bound(mine, mine + most, key);
    if (*at == key) continue;
    std::copy_backward(at, mine + most - 1, mine + most);
    *at = key;
  }
  std::vector<int> out;
  for (std::size_t i = 0; i < rows; ++i) {
    const uint64_t key = order::key(x[i], highest_first);
    if (key <= best[of[i] * most + most - 1] && key != UINT64_MAX) out.push_back(static_cast<int>(i) + 1);
  }
  return Rcpp::IntegerVector(out.begin(), out.end());
}

// Places in the order (from 1) of rows that are equal in scope and value to a neighbour.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector tied_kernel(Rcpp::IntegerVector order, Rcpp::IntegerVector scope, Rcpp::NumericVector value) {
  const R_xlen_t n = order.size();
  const int *row = INTEGER_RO(order), *of = INTEGER_RO(scope);
  const double* x = REAL_RO(value);
  auto same = [&](R_xlen_t i, R_xlen_t j) {
    const int a = row[i] - 1, b = row[j] - 1;
    return of[a] == of[b] && (x[a] == x[b] || (std::isnan(x[a]) && std::isnan(x[b])));
  };
  std::vector<int> out;
  bool before = false;
  for (R_xlen_t i = 0; i < n; ++i) {
    const bool after = i + 1 < n && same(i, i + 1);
    if (before || after) out.push_back(static_cast<int>(i) + 1);
    before = after;
  }
  return Rcpp::IntegerVector(out.begin(), out.end());
}

// For rows in order of scope (up to `scopes`) and value: what they and those before make, its share of the scope's
// total, their share of its members, and the class by the share before; NA where the total is not above 0. Per scope
// its total, its rows, and the members of the first class and their share. `low` counts members at or below 0, which
// have the last class. NULL when a total does not fit.
// [[Rcpp::export(rng = false)]]
SEXP pareto_kernel(Rcpp::IntegerVector order, Rcpp::IntegerVector scope, int scopes, Rcpp::NumericVector minor,
                   Rcpp::NumericVector bounds) {
  const std::size_t n = order.size();
  border::check_rows(order.begin(), n, scope.size(), 1);
  border::check_rows(scope.begin(), n, scopes, 1);
  const int *row_at = INTEGER_RO(order), *of = INTEGER_RO(scope);
  const double *value = REAL_RO(minor), *bound = REAL_RO(bounds);
  const int classes = bounds.size();
  Rcpp::Shield<SEXP> cumulative(pages::vector(REALSXP, n)), share(pages::vector(REALSXP, n)),
      members(pages::vector(REALSXP, n)), class_of(pages::vector(INTSXP, n));
  double *so_far = REAL(cumulative), *part = REAL(share), *member = REAL(members);
  int* to = INTEGER(class_of);
  Rcpp::IntegerVector rows(scopes), top(scopes);
  Rcpp::NumericVector total(scopes), top_share(scopes);
  auto scope_of = [&](std::size_t i) { return of[row_at[i] - 1] - 1; };
  try {
    int64_t sum = 0;
    for (std::size_t i = 0; i < n; ++i) {
      const int row = row_at[i] - 1, s = of[row] - 1;
      if (i > 0 && scope_of(i - 1) != s) sum = 0;
      sum = money::add(sum, running::minor_at(value[row]));
      total[s] = so_far[row] = money::publish(sum);
      ++rows[s];
    }
  } catch (const std::overflow_error&) {
    return R_NilValue;
  }
  double low = 0;
  std::size_t first = 0;
  for (std::size_t i = 0; i < n; ++i) {
    const int row = row_at[i] - 1, s = of[row] - 1;
    if (i > 0 && scope_of(i - 1) != s) first = i;
    member[row] = static_cast<double>(i - first + 1) / rows[s];
    if (total[s] <= 0) {
      part[row] = NA_REAL;
      to[row] = NA_INTEGER;
      continue;
    }
    part[row] = so_far[row] / total[s];
    if (value[row] > 0) {
      const double before = (so_far[row] - value[row]) / total[s];
      to[row] = std::min(static_cast<int>(std::upper_bound(bound, bound + classes, before) - bound) + 1, classes);
    } else {
      to[row] = classes;
      ++low;
    }
    if (to[row] == 1) {
      ++top[s];
      top_share[s] = std::max(top_share[s], part[row]);
    }
  }
  return Rcpp::List::create(Rcpp::_["cumulative"] = cumulative, Rcpp::_["share"] = share, Rcpp::_["members"] = members,
                            Rcpp::_["class"] = class_of, Rcpp::_["total"] = total, Rcpp::_["rows"] = rows,
                            Rcpp::_["top"] = top, Rcpp::_["top_share"] = top_share, Rcpp::_["low"] = low);
}

// The middle of each group's values, each as often as `times` says: `order` puts rows in order of group and value. The
// sum of the two middle ones, which of an odd number are one, and how many they are.
// [[Rcpp::export(rng = false)]]
Rcpp::List median_kernel(Rcpp::IntegerVector order, Rcpp::IntegerVector group, Rcpp::NumericVector value,
                         Rcpp::NumericVector times) {
  std::vector<int> groups;
  std::vector<double> middle;
  const R_xlen_t n = order.size();
  for (R_xlen_t from = 0, to = 0; from < n; from = to) {
    const int own = group[order[from] - 1];
    double all = 0;
    for (to = from; to < n && group[order[to] - 1] == own; ++to) all += times[order[to] - 1];
    double passed = 0, sum = 0;
    // Places are counted from 1: the lower middle is place (all + 1) / 2, the upper all / 2 + 1.
    const double lower = std::floor((all + 1) / 2), upper = std::floor(all / 2) + 1;
    for (R_xlen_t i = from; i < to; ++i) {
      const double before = passed;
      passed += times[order[i] - 1];
      if (before < lower && lower <= passed) sum += value[order[i] - 1];
      if (before < upper && upper <= passed) sum += value[order[i] - 1];
    }
    groups.push_back(own);
    middle.push_back(sum);
  }
  return Rcpp::List::create(Rcpp::_["group"] = Rcpp::IntegerVector(groups.begin(), groups.end()),
                            Rcpp::_["value"] = Rcpp::NumericVector(middle.begin(), middle.end()),
                            Rcpp::_["parts"] = Rcpp::NumericVector(static_cast<int>(middle.size()), 2.0));
}

// Difference, part of the earlier value where that is above 0, and direction: 1 up, 2 down, 3 level, 4 new, 5 gone,
// 6 unknown. What is `unknown` has no earlier value.
// [[Rcpp::export(rng = false)]]
Rcpp::List change_kernel(Rcpp::NumericVector now, Rcpp::NumericVector earlier, Rcpp::IntegerVector apart,
                         int threads) {
  const std::size_t n = now.size();
  const double *x = REAL_RO(now), *before = REAL_RO(earlier);
  const int* dark = INTEGER_RO(apart);
  Rcpp::Shield<SEXP> from(pages::vector(REALSXP, n)), difference(pages::vector(REALSXP, n)),
      part(pages::vector(REALSXP, n)),
      direction(pages::vector(INTSXP, n));
  double *known = REAL(from), *less = REAL(difference), *fraction = REAL(part);
  int* way = INTEGER(direction);
  const double none = NA_REAL;
  threads::ranges(n, threads, [&](std::size_t a, std::size_t b) {
    for (std::size_t i = a; i < b; ++i) {
      const double then = known[i] = dark[i] == 1 ? none : before[i];
      const bool nothing_now = std::isnan(x[i]) || x[i] == 0, nothing_then = std::isnan(then) || then == 0;
      less[i] = std::isnan(x[i]) || std::isnan(then) ? none : x[i] - then;
      fraction[i] = then > 0 && dark[i] == 0 ? less[i] / then : none;
      if (dark[i] != 0 || then < 0) way[i] = 6;
      else if (nothing_now && nothing_then) way[i] = 3;
      else if (nothing_then) way[i] = 4;
      else if (nothing_now) way[i] = 5;
      else way[i] = x[i] > then ? 1 : x[i] < then ? 2 : 3;
    }
  });
  return Rcpp::List::create(Rcpp::_["earlier"] = from, Rcpp::_["difference"] = difference, Rcpp::_["fraction"] = part,
                            Rcpp::_["direction"] = direction);
}
