#include <Rcpp.h>

#include <cstring>

#include "checks.h"
#include "groups.h"
#include "tally.h"

namespace {

tally::Kind kind_of(const std::string& name) {
  if (name == "sum") return tally::Kind::sum;
  if (name == "count") return tally::Kind::count;
  if (name == "smallest") return tally::Kind::smallest;
  if (name == "largest") return tally::Kind::largest;
  Rcpp::stop("unknown kind of measure: %s", name);
}

tally::KeySpace key_space(const Rcpp::List& keys, double lines, lazy_rows::Kept* kept = nullptr) {
  const std::size_t n = static_cast<std::size_t>(lines);
  std::vector<tally::Key> out;
  for (R_xlen_t k = 0; k < keys.size(); ++k) out.push_back(border::key(keys[k], n, kept));
  return tally::KeySpace(std::move(out));
}

std::vector<tally::Amount> amounts_of(const Rcpp::List& amounts, double rows, lazy_rows::Kept& kept) {
  std::vector<tally::Amount> out;
  for (R_xlen_t m = 0; m < amounts.size(); ++m) {
    const Rcpp::List given = amounts[m];
    tally::Amount amount;
    amount.kind = kind_of(Rcpp::as<std::string>(given["kind"]));
    amount.counts = Rcpp::as<bool>(given["counts"]);
    SEXP minor = given["minor"], mask = given["mask"], lines = given["lines"];
    for (SEXP column : {minor, mask, lines}) {
      if (!Rf_isNull(column) && static_cast<double>(Rf_xlength(column)) < rows) Rcpp::stop("fewer values than lines");
    }
    if (!Rf_isNull(lines)) {
      if (TYPEOF(minor) != REALSXP || TYPEOF(lines) != REALSXP) Rcpp::stop("tallied values of another type");
      amount.tallied = REAL_RO(minor);
      amount.lines = REAL_RO(lines);
    } else if (!Rf_isNull(minor)) {
      // A mask has a value for each line, not for each row.
      const lazy_rows::Found found = Rf_isNull(mask) ? lazy_rows::find(minor, kept) : lazy_rows::Found{minor, nullptr};
      amount.rows = found.rows;
      if (TYPEOF(minor) == INTSXP) amount.whole = INTEGER_RO(found.values);
      else amount.minor = REAL_RO(found.values);
    }
    if (!Rf_isNull(mask)) amount.mask = LOGICAL_RO(mask);
    out.push_back(amount);
  }
  return out;
}

// The codes of each key for every group; `number` tells a group's number in the key space.
template <typename Number>
Rcpp::List group_codes(const tally::KeySpace& keys, std::size_t groups, int wanted, Number number) {
  const std::size_t width = keys.width();
  Rcpp::List codes(width);
  std::vector<int*> out(width);
  for (std::size_t k = 0; k < width; ++k) {
    codes[k] = pages::vector(INTSXP, groups);
    out[k] = INTEGER(codes[k]);
  }
  threads::ranges(groups, wanted, [&](std::size_t from, std::size_t to) {
    std::vector<int> digits(width);
    uint64_t before = UINT64_MAX;
    for (std::size_t g = from; g < to; ++g) {
      keys.decode_next(number(g), before, digits.data());
      before = number(g);
      for (std::size_t k = 0; k < width; ++k) out[k][g] = digits[k];
    }
  });
  return codes;
}

// Values as minor units that R can read, or raw as 64-bit integers for a tally that goes on.
SEXP values_of(const tally::Groups& groups, const tally::Column& column, tally::Kind kind, bool raw, int wanted) {
  Rcpp::Shield<SEXP> out(pages::vector(REALSXP, groups.size()));
  double* to = REAL(out);
  const bool always = kind == tally::Kind::sum || kind == tally::Kind::count;
  threads::ranges(groups.size(), wanted, [&](std::size_t from, std::size_t end) {
    for (std::size_t g = from; g < end; ++g) {
      const std::size_t at = groups.place(g);
      if (raw) {
        std::memcpy(to + g, column.value + at, sizeof(double));
      } else {
        to[g] = always || column.counted[at] > 0 ? money::publish(column.value[at]) : NA_REAL;
      }
    }
  });
  return out;
}

// How many lines each value took; NULL where nobody asked.
SEXP counts_of(const tally::Groups& groups, const tally::Column& column, bool raw, int wanted) {
  if (column.counted == nullptr) return R_NilValue;
  Rcpp::Shield<SEXP> out(pages::vector(REALSXP, groups.size()));
  double* to = REAL(out);
  threads::ranges(groups.size(), wanted, [&](std::size_t from, std::size_t end) {
    for (std::size_t g = from; g < end; ++g) {
      const int64_t counted = column.counted[groups.place(g)];
      if (raw) {
        std::memcpy(to + g, &counted, sizeof(double));
      } else {
        to[g] = static_cast<double>(counted);
      }
    }
  });
  return out;
}

}  // namespace

// Groups lines by their codes and takes each measure. Returns codes (0 for missing), values in
// minor units and how many lines each value took; `overflow` when a total does not fit.
// [[Rcpp::export(rng = false)]]
Rcpp::List tally_kernel(double lines, Rcpp::List keys, Rcpp::List amounts, bool raw, int threads) {
  try {
    lazy_rows::Kept kept;
    const std::vector<tally::Amount> taken = amounts_of(amounts, lines, kept);
    const tally::Tally tally(key_space(keys, lines, &kept), taken);
    const tally::Groups groups = tally.run(static_cast<std::size_t>(lines), threads,
                                           [] { Rcpp::checkUserInterrupt(); });
    Rcpp::List values(taken.size()), counted(taken.size());
    for (std::size_t m = 0; m < taken.size(); ++m) {
      values[m] = values_of(groups, groups.columns[m], taken[m].kind, raw, threads);
      counted[m] = counts_of(groups, groups.columns[m], raw, threads);
    }
    Rcpp::List codes = group_codes(tally.keys(), groups.size(), threads,
                                   [&](std::size_t g) { return groups.numbers.get()[g]; });
    return Rcpp::List::create(Rcpp::_["codes"] = codes, Rcpp::_["values"] = values, Rcpp::_["counted"] = counted);
  } catch (const std::overflow_error&) {
    return Rcpp::List::create(Rcpp::_["overflow"] = true);
  }
}

// Codes of the groups that the keys make, numbered by first appearance: one code per line, and the
// codes of each key and the first line (from 1) per group.
// [[Rcpp::export(rng = false)]]
Rcpp::List group_kernel(double lines, Rcpp::List keys, int threads) {
  const tally::KeySpace space = key_space(keys, lines);
  const std::size_t n_lines = static_cast<std::size_t>(lines);
  const Rcpp::Shield<SEXP> result(pages::vector(INTSXP, n_lines));
  const tally::Appeared groups = tally::number_groups(space, n_lines, threads, INTEGER(result),
                                                      [] { Rcpp::checkUserInterrupt(); });
  const std::size_t count = groups.numbers.size();
  Rcpp::List parts = group_codes(space, count, threads, [&](std::size_t g) { return groups.numbers[g]; });
  return Rcpp::List::create(Rcpp::_["codes"] = result, Rcpp::_["parts"] = parts,
                            Rcpp::_["count"] = static_cast<int>(count),
                            Rcpp::_["first"] = Rcpp::IntegerVector(groups.first.begin(), groups.first.end()));
}

// The row (from 1) of `among` that has the codes of each row of `keys`; NA where none has. Both have the same sizes.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector find_kernel(double rows, Rcpp::List keys, double rows_among, Rcpp::List among, int threads) {
  const tally::KeySpace space = key_space(keys, rows), known = key_space(among, rows_among);
  const std::size_t n = static_cast<std::size_t>(rows), n_known = static_cast<std::size_t>(rows_among);
  std::vector<uint64_t> numbers(tally::kBlock);
  tally::Slots slots(n_known);
  std::vector<int> row_of;
  for (std::size_t from = 0; from < n_known; from += tally::kBlock) {
    const std::size_t block = std::min(tally::kBlock, n_known - from);
    known.encode(from, block, numbers.data());
    for (std::size_t i = 0; i < block; ++i) slots.fetch(numbers[i]);
    for (std::size_t i = 0; i < block; ++i) {
      if (slots.find(numbers[i]) == row_of.size()) row_of.push_back(static_cast<int>(from + i) + 1);
    }
    if (from / tally::kBlock % tally::kPause == 0) Rcpp::checkUserInterrupt();
  }
  Rcpp::Shield<SEXP> result(pages::vector(INTSXP, n));
  int* out = INTEGER(result);
  threads::ranges(n, threads, [&](std::size_t begin, std::size_t end) {
    std::vector<uint64_t> asked(tally::kBlock);
    for (std::size_t from = begin; from < end; from += tally::kBlock) {
      const std::size_t block = std::min(tally::kBlock, end - from);
      space.encode(from, block, asked.data());
      for (std::size_t i = 0; i < block; ++i) slots.fetch(asked[i]);
      for (std::size_t i = 0; i < block; ++i) {
        const uint32_t slot = slots.look_up(asked[i]);
        out[from + i] = slot == tally::kNone ? INT_MIN : row_of[slot];
      }
    }
  });
  return Rcpp::IntegerVector(static_cast<SEXP>(result));
}

// 64-bit integers times a power of ten; NULL where one would not fit.
// [[Rcpp::export(rng = false)]]
SEXP widen_kernel(Rcpp::NumericVector values, double factor) {
  const R_xlen_t n = values.size();
  const double* from = REAL_RO(values);
  Rcpp::Shield<SEXP> out(pages::vector(REALSXP, n));
  double* to = REAL(out);
  const int64_t times = static_cast<int64_t>(factor);
  for (R_xlen_t i = 0; i < n; ++i) {
    int64_t value = tally::whole_at(from, i);
    if (__builtin_mul_overflow(value, times, &value)) return R_NilValue;
    std::memcpy(to + i, &value, sizeof value);
  }
  return out;
}

// Are these 64-bit integers numbers of lines: none negative, and all of them together no more than can be?
// [[Rcpp::export(rng = false)]]
bool line_counts_kernel(Rcpp::NumericVector counts) {
  const double* bytes = REAL_RO(counts);
  const int64_t most = int64_t{1} << 53;
  int64_t sum = 0;
  for (R_xlen_t i = 0; i < counts.size(); ++i) {
    const int64_t count = tally::whole_at(bytes, i);
    if (count < 0 || count > most || (sum += count) > most) return false;
  }
  return true;
}

// Amounts of rows that represent several lines each, and how many these are, as 64-bit integers for a tally. A missing
// amount is that of no line.
// [[Rcpp::export(rng = false)]]
Rcpp::List counted_values_kernel(Rcpp::NumericVector values, Rcpp::NumericVector times) {
  if (values.size() != times.size()) Rcpp::stop("a number of lines for each value");
  const R_xlen_t n = values.size();
  Rcpp::NumericVector minor(n), lines(n);
  for (R_xlen_t i = 0; i < n; ++i) {
    const bool none = std::isnan(values[i]);
    const int64_t value = none ? 0 : static_cast<int64_t>(values[i]), held = none ? 0 : static_cast<int64_t>(times[i]);
    std::memcpy(minor.begin() + i, &value, sizeof value);
    std::memcpy(lines.begin() + i, &held, sizeof held);
  }
  return Rcpp::List::create(minor, lines);
}
