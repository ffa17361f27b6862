#include <Rcpp.h>
#include <R_ext/Altrep.h>

#include "front.h"

namespace front {

namespace {

R_altrep_class_t whole_numbers, doubles;

// The first slot holds all values, the second how many of them there are.
R_xlen_t length(SEXP x) { return static_cast<R_xlen_t>(REAL_RO(R_altrep_data2(x))[0]); }

void* data(SEXP x, Rboolean) {
  SEXP all = R_altrep_data1(x);
  return TYPEOF(all) == INTSXP ? static_cast<void*>(INTEGER(all)) : static_cast<void*>(REAL(all));
}

const void* data_or_null(SEXP x) { return data(x, FALSE); }

void set_methods(R_altrep_class_t of) {
  R_set_altrep_Length_method(of, length);
  R_set_altvec_Dataptr_method(of, data);
  R_set_altvec_Dataptr_or_null_method(of, data_or_null);
}

}  // namespace

SEXP values(SEXP all, std::size_t n) {
  if (n == static_cast<std::size_t>(Rf_xlength(all))) return all;
  const Rcpp::Shield<SEXP> count(Rf_ScalarReal(static_cast<double>(n)));
  return R_new_altrep(TYPEOF(all) == INTSXP ? whole_numbers : doubles, all, count);
}

}  // namespace front

// [[Rcpp::init]]
void make_front(DllInfo* dll) {
  using namespace front;
  whole_numbers = R_make_altinteger_class("first_whole_numbers", "hinterfeld", dll);
  doubles = R_make_altreal_class("first_doubles", "hinterfeld", dll);
  set_methods(whole_numbers);
  set_methods(doubles);
}
