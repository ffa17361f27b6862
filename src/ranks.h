// Ranks of values inside scopes, for rows already in order: by scope, then from the best value.
#pragma once
#include <cmath>
#include <cstddef>

namespace ranks {

enum class Ties { standard, dense, ordinal, modified, fractional };

// `order` holds row numbers; `scope` and `value` are per row. A missing value gets no rank and must
// come last in its scope. Calls put(row, rank) for every ranked row.
template <typename Put>
void assign(const int* order, std::size_t n, const int* scope, const double* value, Ties ties, Put put) {
  std::size_t from = 0;        // first position of the current scope
  int distinct = 0;            // values seen in the scope
  for (std::size_t i = 0; i < n;) {
    if (i == 0 || scope[order[i]] != scope[order[i - 1]]) {
      from = i;
      distinct = 0;
    }
    std::size_t end = i + 1;   // past the last row that ties with row i
    if (std::isnan(value[order[i]])) {
      i = end;
      continue;
    }
    while (end < n && scope[order[end]] == scope[order[i]] && value[order[end]] == value[order[i]]) ++end;
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
      put(order[j], rank);
    }
    i = end;
  }
}

}  // namespace ranks
