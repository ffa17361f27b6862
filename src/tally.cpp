#include <Rcpp.h>

#include "tally.h"

namespace {

tally::Kind kind_of(const std::string& name) {
  if (name == "sum") return tally::Kind::sum;
  if (name == "count") return tally::Kind::count;
  if (name == "smallest") return tally::Kind::smallest;
  if (name == "largest") return tally::Kind::largest;
  Rcpp::stop("unknown kind of measure: %s", name);
}

tally::KeySpace key_space(const Rcpp::List& codes, const Rcpp::IntegerVector& sizes) {
  std::vector<tally::Key> keys;
  for (R_xlen_t k = 0; k < codes.size(); ++k) {
    keys.push_back({INTEGER(codes[k]), static_cast<uint64_t>(sizes[k])});
  }
  return tally::KeySpace(std::move(keys));
}

std::vector<tally::Amount> amounts_of(const Rcpp::CharacterVector& kinds, const Rcpp::List& units,
                                      const Rcpp::List& masks) {
  std::vector<tally::Amount> amounts;
  for (R_xlen_t m = 0; m < kinds.size(); ++m) {
    amounts.push_back({kind_of(Rcpp::as<std::string>(kinds[m])),
                       Rf_isNull(units[m]) ? nullptr : REAL(units[m]),
                       Rf_isNull(masks[m]) ? nullptr : LOGICAL(masks[m])});
  }
  return amounts;
}

// The codes of each key for every group; `number` tells a group's number in the key space.
template <typename Number>
std::vector<Rcpp::IntegerVector> group_codes(const tally::KeySpace& keys, std::size_t groups, Number number) {
  const std::size_t width = keys.width();
  std::vector<Rcpp::IntegerVector> codes(width);
  for (auto& code : codes) code = Rcpp::IntegerVector(groups);
  std::vector<int> digits(width);
  for (std::size_t g = 0; g < groups; ++g) {
    keys.decode(number(g), digits.data());
    for (std::size_t k = 0; k < width; ++k) codes[k][g] = digits[k];
  }
  return codes;
}

Rcpp::List result_of(const tally::Tally& tally) {
  const std::size_t groups = tally.groups();
  const std::vector<Rcpp::IntegerVector> codes =
      group_codes(tally.keys(), groups, [&](std::size_t g) { return tally.number(g); });
  Rcpp::List values, counted;
  for (const tally::Measure& measure : tally.measures()) {
    const bool always = measure.amount.kind == tally::Kind::sum || measure.amount.kind == tally::Kind::count;
    Rcpp::NumericVector value(groups), count(groups);
    for (std::size_t g = 0; g < groups; ++g) {
      count[g] = measure.counted[g];
      value[g] = always || measure.counted[g] > 0 ? money::publish(measure.value[g]) : NA_REAL;
    }
    values.push_back(value);
    counted.push_back(count);
  }
  return Rcpp::List::create(Rcpp::_["codes"] = Rcpp::wrap(codes), Rcpp::_["values"] = values,
                            Rcpp::_["counted"] = counted);
}

}  // namespace

// Groups lines by their codes and takes each measure. Returns codes (0 for missing), values in
// units and how many lines each value took; `overflow` when a total does not fit.
// [[Rcpp::export]]
Rcpp::List tally_kernel(int lines, Rcpp::List codes, Rcpp::IntegerVector sizes,
                        Rcpp::CharacterVector kinds, Rcpp::List units, Rcpp::List masks) {
  try {
    tally::Tally tally(key_space(codes, sizes), amounts_of(kinds, units, masks));
    tally.add(static_cast<std::size_t>(lines), [] { Rcpp::checkUserInterrupt(); });
    return result_of(tally);
  } catch (const std::overflow_error&) {
    return Rcpp::List::create(Rcpp::_["overflow"] = true);
  }
}

// Codes of the groups that the keys make, numbered by first appearance: one code per line, and the
// codes of each key per group.
// [[Rcpp::export]]
Rcpp::List group_kernel(int lines, Rcpp::List codes, Rcpp::IntegerVector sizes) {
  const tally::KeySpace keys = key_space(codes, sizes);
  tally::Slots slots(keys.size());
  const std::size_t n_lines = static_cast<std::size_t>(lines);
  Rcpp::IntegerVector out(lines);
  std::vector<uint64_t> numbers(tally::kBlock);
  for (std::size_t from = 0; from < n_lines; from += tally::kBlock) {
    const std::size_t n = std::min(tally::kBlock, n_lines - from);
    keys.encode(from, n, numbers.data());
    for (std::size_t i = 0; i < n; ++i) out[from + i] = static_cast<int>(slots.find(numbers[i])) + 1;
    Rcpp::checkUserInterrupt();
  }
  const std::vector<Rcpp::IntegerVector> parts =
      group_codes(keys, slots.size(), [&](std::size_t g) { return slots.number(g); });
  return Rcpp::List::create(Rcpp::_["codes"] = out, Rcpp::_["parts"] = Rcpp::wrap(parts),
                            Rcpp::_["count"] = static_cast<int>(slots.size()));
}
