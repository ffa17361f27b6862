// Some rows of a column, which are gathered only when somebody needs them one behind another.
#pragma once
#include <Rcpp.h>

#include <vector>

namespace lazy_rows {

// Where values are: in their order in `values` if `rows` is null, otherwise in these of its rows, from 1.
struct Found {
  SEXP values;
  const int* rows;
};

// What keeps such values from being collected.
using Kept = std::vector<Rcpp::RObject>;

// For a caller that reads every value once and holds `kept` meanwhile. The next caller gets the values gathered,
// because more may follow.
Found find(SEXP x, Kept& kept);

}  // namespace lazy_rows
