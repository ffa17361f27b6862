#include <Rcpp.h>
#include <R_ext/Altrep.h>

#include <algorithm>

#include "exact_numbers.h"
#include "memory.h"

namespace exact_numbers {

namespace {

R_altrep_class_t exact_class;

// The first slot holds the whole numbers and their scale, NULL once somebody may have written into the numbers; the
// second the numbers once they were laid out, NULL until then.
SEXP held(SEXP x) { return R_altrep_data1(x); }
SEXP laid_out(SEXP x) { return R_altrep_data2(x); }
R_xlen_t length(SEXP x) { return Rf_xlength(laid_out(x) != R_NilValue ? laid_out(x) : VECTOR_ELT(held(x), 0)); }

void fill(SEXP x, R_xlen_t from, R_xlen_t n, double* to) {
  const double scale = scale_of(x), missing = NA_REAL;
  const auto each = [&](const auto* whole) {
    std::transform(whole + from, whole + from + n, to, [&](auto value) { return number_of(value, scale, missing); });
  };
  const SEXP whole = VECTOR_ELT(held(x), 0);
  if (TYPEOF(whole) == INTSXP) each(INTEGER_RO(whole)); else each(REAL_RO(whole));
}

// A caller with write access may change anything, so from then on only the numbers are valid.
void* data(SEXP x, Rboolean writable) {
  if (laid_out(x) == R_NilValue) {
    SEXP out = PROTECT(pages::plain_vector(REALSXP, static_cast<std::size_t>(length(x))));
    fill(x, 0, length(x), REAL(out));
    R_set_altrep_data2(x, out);
    UNPROTECT(1);
  }
  if (writable) R_set_altrep_data1(x, R_NilValue);
  return REAL(laid_out(x));
}

const void* data_or_null(SEXP x) { return laid_out(x) == R_NilValue ? nullptr : REAL_RO(laid_out(x)); }

double element(SEXP x, R_xlen_t i) {
  if (laid_out(x) != R_NilValue) return REAL_RO(laid_out(x))[i];
  double out;
  fill(x, i, 1, &out);
  return out;
}

R_xlen_t region(SEXP x, R_xlen_t from, R_xlen_t n, double* to) {
  n = std::min(n, length(x) - from);
  if (laid_out(x) != R_NilValue) std::copy_n(REAL_RO(laid_out(x)) + from, n, to);
  else fill(x, from, n, to);
  return n;
}

SEXP duplicate(SEXP x, Rboolean) {
  return held(x) == R_NilValue ? nullptr : numbers(VECTOR_ELT(held(x), 0), scale_of(x));
}

}  // namespace

double scale_of(SEXP x) { return REAL_RO(VECTOR_ELT(held(x), 1))[0]; }

SEXP numbers(SEXP wholes, double scale) {
  MARK_NOT_MUTABLE(wholes);
  SEXP both = PROTECT(Rf_allocVector(VECSXP, 2));
  SET_VECTOR_ELT(both, 0, wholes);
  SET_VECTOR_ELT(both, 1, Rf_ScalarReal(scale));
  SEXP out = R_new_altrep(exact_class, both, R_NilValue);
  UNPROTECT(1);
  return out;
}

SEXP wholes(SEXP x) {
  const bool exact = ALTREP(x) && R_altrep_inherits(x, exact_class) && held(x) != R_NilValue;
  return exact ? VECTOR_ELT(held(x), 0) : R_NilValue;
}

SEXP wholes(SEXP x, double scale) {
  const SEXP out = wholes(x);
  return !Rf_isNull(out) && !Rf_isObject(out) && scale_of(x) == scale ? out : R_NilValue;
}

}  // namespace exact_numbers

// [[Rcpp::init]]
void make_exact_numbers(DllInfo* dll) {
  using namespace exact_numbers;
  exact_class = R_make_altreal_class("exact_numbers", "hinterfeld", dll);
  R_set_altrep_Length_method(exact_class, length);
  R_set_altrep_Duplicate_method(exact_class, duplicate);
  R_set_altvec_Dataptr_method(exact_class, data);
  R_set_altvec_Dataptr_or_null_method(exact_class, data_or_null);
  R_set_altreal_Elt_method(exact_class, element);
  R_set_altreal_Get_region_method(exact_class, region);
}
