// Text held as codes and labels: a column of a totals table names few things many times.
#pragma once
#include <Rinternals.h>

namespace lazy_text {

// Text of `codes` (1..., NA for missing) into `labels`. To R it is any other character vector; its strings are only
// laid out when somebody asks for all of them at once.
SEXP text(SEXP codes, SEXP labels);

// Is it such text, and are its codes still what it says?
bool is_text(SEXP x);
SEXP codes(SEXP text);
SEXP labels(SEXP text);

}  // namespace lazy_text
