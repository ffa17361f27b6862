// Some rows of a column, which are gathered only when somebody needs them one behind another.
#pragma once
#include <Rinternals.h>

namespace lazy_rows {

// Where values are: in their order in `values` if `rows` is null, otherwise in these of its rows, from 1.
struct Found {
  SEXP values;
  const int* rows;
};

// For whoever looks at every value once. The next who asks gets them gathered, because more may follow.
Found find(SEXP x);

}  // namespace lazy_rows
