// Ranks of values inside scopes, for rows already in order: by scope, then from the best value.
#pragma once
#include <cmath>
#include <cstddef>

#include <Rcpp.h>

namespace ranks {

enum class Ties { standard, dense, ordinal, modified, fractional };

// `order` holds row numbers from 1, of which `begin` to `n` are taken; `scope` and `value` are per row. A missing value
// comes last in its scope, and its rank is missing. Calls put(row, rank) for every row, from 0.
template <typename Put>
void assign(const int* order, std::size_t begin, std::size_t n, const int* scope, const double* value, Ties ties,
            Put put) {
  const auto scope_at = [=](std::size_t i) { return scope[order[i] - 1]; };
  const auto value_at = [=](std::size_t i) { return value[order[i] - 1]; };
  std::size_t from = begin;    // first position of the current scope
  int distinct = 0;            // values seen in the scope
  for (std::size_t i = begin; i < n;) {
    if (i == begin || scope_at(i) != scope_at(i - 1)) {
      from = i;
      distinct = 0;
    }
    std::size_t end = i + 1;   // past the last row that ties with row i
    if (std::isnan(value_at(i))) {
      put(order[i] - 1, NA_REAL);
      i = end;
      continue;
    }
    while (end < n && scope_at(end) == scope_at(i) && value_at(end) == value_at(i)) ++end;
    ++distinct;
    const double first = static_cast<double>(i - from + 1), last = static_cast<double>(end - from);
    for (std::size_t j = i; j < end; ++j) {
      double rank = first;
      switch (ties) {
        case Ties::standard: break;
        case Ties::dense: rank = distinct; break;
        case Ties::ordinal: rank = static_cast<double>(j - from + 1); break;
        case Ties::modified: rank = last; break;
        case Ties::fractional: rank = (first + last) / 2; break;
      }
      put(order[j] - 1, rank);
    }
    i = end;
  }
}

}  // namespace ranks
