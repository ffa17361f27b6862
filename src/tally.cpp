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

Rcpp::List result_of(const tally::Tally& tally) {
  const std::size_t groups = tally.groups(), width = tally.keys().width();
  std::vector<Rcpp::IntegerVector> codes(width);
  for (auto& code : codes) code = Rcpp::IntegerVector(groups);
  std::vector<int> digits(width);
  for (std::size_t g = 0; g < groups; ++g) {
    tally.keys().decode(tally.number(g), digits.data());
    for (std::size_t k = 0; k < width; ++k) codes[k][g] = digits[k];
  }
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

// Codes of the pairs of two key columns, numbered by first appearance: keeps a wide key space small.
// [[Rcpp::export]]
Rcpp::List pair_codes_kernel(Rcpp::IntegerVector a, Rcpp::IntegerVector b, int size_a, int size_b) {
  const tally::KeySpace keys({{a.begin(), static_cast<uint64_t>(size_a)},
                              {b.begin(), static_cast<uint64_t>(size_b)}});
  tally::Slots slots(keys.size());
  Rcpp::IntegerVector out(a.size());
  std::vector<uint64_t> numbers(tally::kBlock);
  for (std::size_t from = 0; from < static_cast<std::size_t>(a.size()); from += tally::kBlock) {
    const std::size_t n = std::min(tally::kBlock, static_cast<std::size_t>(a.size()) - from);
    keys.encode(from, n, numbers.data());
    for (std::size_t i = 0; i < n; ++i) out[from + i] = static_cast<int>(slots.find(numbers[i])) + 1;
  }
  std::vector<Rcpp::IntegerVector> parts(2);
  for (auto& part : parts) part = Rcpp::IntegerVector(slots.size());
  int digits[2];
  for (uint32_t s = 0; s < slots.size(); ++s) {
    keys.decode(slots.number(s), digits);
    parts[0][s] = digits[0];
    parts[1][s] = digits[1];
  }
  return Rcpp::List::create(Rcpp::_["codes"] = out, Rcpp::_["parts"] = Rcpp::wrap(parts));
}
