// A condition leaves many columns that nobody asks for, and others that are asked for once.
#include <Rcpp.h>
#include <R_ext/Altrep.h>

#include "checks.h"
#include "lazy_rows.h"
#include "memory.h"
#include "threads.h"

namespace lazy_rows {

namespace {

R_altrep_class_t whole_class, real_class, logical_class;

// The first slot holds source, rows (from 1), threads and whether somebody asked, until the rows were gathered, then
// NULL; the second what was gathered.
SEXP waiting(SEXP x) { return R_altrep_data1(x); }
SEXP gathered(SEXP x) { return R_altrep_data2(x); }
SEXP source(SEXP x) { return VECTOR_ELT(waiting(x), 0); }
SEXP rows(SEXP x) { return VECTOR_ELT(waiting(x), 1); }

template <typename T>
void gather(const T* from, T* to, const int* row, std::size_t n, int wanted) {
  threads::ranges(n, wanted, [&](std::size_t a, std::size_t b) {
    for (std::size_t i = a; i < b; ++i) to[i] = from[row[i] - 1];
  });
}

SEXP lay_out(SEXP x) {
  if (gathered(x) != R_NilValue) return gathered(x);
  const SEXPTYPE type = TYPEOF(x);
  const R_xlen_t n = Rf_xlength(rows(x));
  const int wanted = Rf_asInteger(VECTOR_ELT(waiting(x), 2));
  SEXP out = PROTECT(pages::plain_vector(type, n));
  const int* row = INTEGER_RO(rows(x));
  if (type == REALSXP) gather(REAL_RO(source(x)), REAL(out), row, n, wanted);
  else if (type == INTSXP) gather(INTEGER_RO(source(x)), INTEGER(out), row, n, wanted);
  else gather(LOGICAL_RO(source(x)), LOGICAL(out), row, n, wanted);
  R_set_altrep_data2(x, out);
  R_set_altrep_data1(x, R_NilValue);
  UNPROTECT(1);
  return out;
}

R_xlen_t length(SEXP x) { return Rf_xlength(gathered(x) != R_NilValue ? gathered(x) : rows(x)); }

void* data(SEXP x, Rboolean) {
  SEXP out = lay_out(x);
  return TYPEOF(out) == REALSXP ? static_cast<void*>(REAL(out)) : TYPEOF(out) == INTSXP ? INTEGER(out) : LOGICAL(out);
}

const void* data_or_null(SEXP x) { return gathered(x) == R_NilValue ? nullptr : data(x, FALSE); }

int whole(SEXP x, R_xlen_t i) {
  return gathered(x) != R_NilValue ? INTEGER_ELT(gathered(x), i) : INTEGER_ELT(source(x), INTEGER_ELT(rows(x), i) - 1);
}
double real(SEXP x, R_xlen_t i) {
  return gathered(x) != R_NilValue ? REAL_ELT(gathered(x), i) : REAL_ELT(source(x), INTEGER_ELT(rows(x), i) - 1);
}
int logical(SEXP x, R_xlen_t i) {
  return gathered(x) != R_NilValue ? LOGICAL_ELT(gathered(x), i) : LOGICAL_ELT(source(x), INTEGER_ELT(rows(x), i) - 1);
}

bool is_lazy(SEXP x) {
  return ALTREP(x) && (R_altrep_inherits(x, whole_class) || R_altrep_inherits(x, real_class) ||
                       R_altrep_inherits(x, logical_class));
}

void vector_methods(R_altrep_class_t of) {
  R_set_altrep_Length_method(of, length);
  R_set_altvec_Dataptr_method(of, data);
  R_set_altvec_Dataptr_or_null_method(of, data_or_null);
}

}  // namespace

Found find(SEXP x, Kept& kept) {
  if (!is_lazy(x) || gathered(x) != R_NilValue || VECTOR_ELT(waiting(x), 3) != R_NilValue) return {x, nullptr};
  SET_VECTOR_ELT(waiting(x), 3, Rf_ScalarLogical(TRUE));
  // The vector forgets its source when it is gathered.
  kept.emplace_back(waiting(x));
  return {source(x), INTEGER_RO(rows(x))};
}

}  // namespace lazy_rows

// [[Rcpp::init]]
void make_lazy_rows(DllInfo* dll) {
  using namespace lazy_rows;
  whole_class = R_make_altinteger_class("lazy_whole", "hinterfeld", dll);
  real_class = R_make_altreal_class("lazy_real", "hinterfeld", dll);
  logical_class = R_make_altlogical_class("lazy_logical", "hinterfeld", dll);
  for (R_altrep_class_t of : {whole_class, real_class, logical_class}) vector_methods(of);
  R_set_altinteger_Elt_method(whole_class, whole);
  R_set_altreal_Elt_method(real_class, real);
  R_set_altlogical_Elt_method(logical_class, logical);
}

// Some rows of each column, with their attributes; NULL for a column that is neither of numbers nor logical. Rows are
// checked here, so that whoever gathers them need not.
// [[Rcpp::export(rng = false)]]
Rcpp::List lazy_rows_kernel(Rcpp::List columns, Rcpp::IntegerVector rows, int threads) {
  using namespace lazy_rows;
  R_xlen_t least = R_XLEN_T_MAX;
  for (R_xlen_t k = 0; k < columns.size(); ++k) least = std::min<R_xlen_t>(least, Rf_xlength(columns[k]));
  border::check_rows(INTEGER_RO(rows), rows.size(), least, threads);
  MARK_NOT_MUTABLE(rows);
  Rcpp::List out(columns.size());
  const Rcpp::Shield<SEXP> wanted(Rf_ScalarInteger(threads));
  for (R_xlen_t k = 0; k < columns.size(); ++k) {
    SEXP x = columns[k];
    const int type = TYPEOF(x);
    if (type != INTSXP && type != REALSXP && type != LGLSXP) continue;
    MARK_NOT_MUTABLE(x);
    Rcpp::Shield<SEXP> held(Rf_allocVector(VECSXP, 4));
    SET_VECTOR_ELT(held, 0, x);
    SET_VECTOR_ELT(held, 1, rows);
    SET_VECTOR_ELT(held, 2, wanted);
    Rcpp::Shield<SEXP> taken(R_new_altrep(type == INTSXP ? whole_class : type == REALSXP ? real_class : logical_class,
                                          held, R_NilValue));
    Rf_copyMostAttrib(x, taken);
    out[k] = taken;
  }
  return out;
}
