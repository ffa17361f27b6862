// A handle to what a table was made of: it keeps it while the table lives, and is empty once the table was saved and
// read again. An external pointer to nothing protects a weak reference whose key is the pointer itself, and R saves no
// weak reference's value. That value is a pointer of the same kind, for R would copy a list.
#include <Rcpp.h>

namespace {

SEXP keep(SEXP held) { return R_MakeExternalPtr(nullptr, R_NilValue, held); }

}  // namespace

// [[Rcpp::export(rng = false)]]
SEXP handle_kernel(SEXP held) {
  Rcpp::Shield<SEXP> handle(keep(R_NilValue)), value(keep(held));
  Rcpp::Shield<SEXP> weak(R_MakeWeakRef(handle, value, R_NilValue, FALSE));
  R_SetExternalPtrProtected(handle, weak);
  return handle;
}

// What a handle holds; NULL for an empty one.
// [[Rcpp::export(rng = false)]]
SEXP handle_value_kernel(SEXP handle) {
  if (TYPEOF(handle) != EXTPTRSXP) return R_NilValue;
  SEXP weak = R_ExternalPtrProtected(handle);
  SEXP value = TYPEOF(weak) == WEAKREFSXP ? R_WeakRefValue(weak) : R_NilValue;
  return TYPEOF(value) == EXTPTRSXP ? R_ExternalPtrProtected(value) : R_NilValue;
}
