#include <Rcpp.h>
#include <R_ext/Altrep.h>

#include <climits>

#include "lazy_text.h"
#include "threads.h"

namespace lazy_text {

namespace {

R_altrep_class_t text_class;

// The first slot holds codes and labels, NULL once somebody wrote into the text; the second the strings once they were
// laid out, NULL until then.
SEXP dictionary(SEXP x) { return R_altrep_data1(x); }
SEXP strings(SEXP x) { return R_altrep_data2(x); }

SEXP label_of(SEXP labels, int code) { return code == INT_MIN ? NA_STRING : STRING_ELT(labels, code - 1); }

SEXP lay_out(SEXP x) {
  if (strings(x) != R_NilValue) return strings(x);
  const R_xlen_t n = Rf_xlength(codes(x));
  const int* code = INTEGER_RO(codes(x));
  SEXP out = PROTECT(Rf_allocVector(STRSXP, n));
  for (R_xlen_t i = 0; i < n; ++i) SET_STRING_ELT(out, i, label_of(labels(x), code[i]));
  R_set_altrep_data2(x, out);
  UNPROTECT(1);
  return out;
}

R_xlen_t length(SEXP x) { return Rf_xlength(strings(x) != R_NilValue ? strings(x) : codes(x)); }

SEXP element(SEXP x, R_xlen_t i) {
  if (strings(x) != R_NilValue) return STRING_ELT(strings(x), i);
  return label_of(labels(x), INTEGER_RO(codes(x))[i]);
}

void set_element(SEXP x, R_xlen_t i, SEXP value) {
  SET_STRING_ELT(lay_out(x), i, value);
  R_set_altrep_data1(x, R_NilValue);
}

// A caller with write access may change anything, so from then on only the strings are valid.
void* data(SEXP x, Rboolean writable) {
  SEXP out = lay_out(x);
  if (writable) R_set_altrep_data1(x, R_NilValue);
  return const_cast<SEXP*>(STRING_PTR_RO(out));
}

const void* data_or_null(SEXP x) { return strings(x) == R_NilValue ? nullptr : STRING_PTR_RO(strings(x)); }

// Some elements are coded as well; NULL leaves the work to R.
SEXP subset(SEXP x, SEXP at, SEXP) {
  if (dictionary(x) == R_NilValue) return nullptr;
  const R_xlen_t n = Rf_xlength(at), known = Rf_xlength(codes(x));
  const int* code = INTEGER_RO(codes(x));
  SEXP taken = PROTECT(Rf_allocVector(INTSXP, n));
  int* out = INTEGER(taken);
  const bool whole = TYPEOF(at) == INTSXP;
  const int* place = whole ? INTEGER_RO(at) : nullptr;
  const double* far = whole ? nullptr : REAL_RO(at);
  for (R_xlen_t i = 0; i < n; ++i) {
    // Counted from 1; missing and beyond the end is missing.
    const double from = whole ? (place[i] == INT_MIN ? 0 : place[i]) : far[i];
    out[i] = from >= 1 && from <= static_cast<double>(known) ? code[static_cast<R_xlen_t>(from) - 1] : INT_MIN;
  }
  SEXP result = text(taken, labels(x));
  UNPROTECT(1);
  return result;
}

SEXP duplicate(SEXP x, Rboolean) { return dictionary(x) == R_NilValue ? nullptr : text(codes(x), labels(x)); }

}  // namespace

SEXP text(SEXP codes, SEXP labels) {
  // Codes and labels may serve several texts.
  MARK_NOT_MUTABLE(codes);
  MARK_NOT_MUTABLE(labels);
  SEXP both = PROTECT(Rf_allocVector(VECSXP, 2));
  SET_VECTOR_ELT(both, 0, codes);
  SET_VECTOR_ELT(both, 1, labels);
  SEXP out = R_new_altrep(text_class, both, R_NilValue);
  UNPROTECT(1);
  return out;
}

bool is_text(SEXP x) { return ALTREP(x) && R_altrep_inherits(x, text_class) && dictionary(x) != R_NilValue; }
SEXP codes(SEXP text) { return VECTOR_ELT(dictionary(text), 0); }
SEXP labels(SEXP text) { return VECTOR_ELT(dictionary(text), 1); }

}  // namespace lazy_text

// [[Rcpp::init]]
void make_lazy_text(DllInfo* dll) {
  using namespace lazy_text;
  text_class = R_make_altstring_class("lazy_text", "hinterfeld", dll);
  R_set_altrep_Length_method(text_class, length);
  R_set_altrep_Duplicate_method(text_class, duplicate);
  R_set_altvec_Dataptr_method(text_class, data);
  R_set_altvec_Dataptr_or_null_method(text_class, data_or_null);
  R_set_altvec_Extract_subset_method(text_class, subset);
  R_set_altstring_Elt_method(text_class, element);
  R_set_altstring_Set_elt_method(text_class, set_element);
}

// The codes and labels of coded text, which are its own and not to be changed; NULL for any other.
// [[Rcpp::export(rng = false)]]
SEXP lazy_parts_kernel(SEXP x) {
  if (!lazy_text::is_text(x)) return R_NilValue;
  return Rcpp::List::create(Rcpp::_["codes"] = lazy_text::codes(x), Rcpp::_["labels"] = lazy_text::labels(x));
}

// Text of codes from 1 and their labels.
// [[Rcpp::export(rng = false)]]
SEXP lazy_text_kernel(Rcpp::IntegerVector codes, Rcpp::CharacterVector labels, int threads) {
  const int most = static_cast<int>(labels.size());
  const int* code = INTEGER_RO(codes);
  std::atomic<bool> good{true};
  threads::ranges(codes.size(), threads, [&](std::size_t a, std::size_t b) {
    int odd = 0;
    for (std::size_t i = a; i < b; ++i) odd |= (code[i] < 1 || code[i] > most) && code[i] != NA_INTEGER;
    if (odd != 0) good = false;
  });
  if (!good) Rcpp::stop("a code without a label");
  return lazy_text::text(codes, labels);
}
