// A handle to what a table was made of: it keeps it while the table lives, and is empty once the table was saved and read
// again. An external pointer to nothing protects a weak reference whose key is the pointer itself, and R saves no weak
// reference's value.
#include <Rcpp.h>

// [[Rcpp::export]]
SEXP handle_kernel(SEXP held) {
  Rcpp::Shield<SEXP> handle(R_MakeExternalPtr(nullptr, R_NilValue, R_NilValue));
  Rcpp::Shield<SEXP> weak(R_MakeWeakRef(handle, held, R_NilValue, FALSE));
  R_SetExternalPtrProtected(handle, weak);
  return handle;
}

// What a handle holds; NULL for an empty one.
// [[Rcpp::export]]
SEXP held_kernel(SEXP handle) {
  if (TYPEOF(handle) != EXTPTRSXP) return R_NilValue;
  SEXP weak = R_ExternalPtrProtected(handle);
  return TYPEOF(weak) == WEAKREFSXP ? R_WeakRefValue(weak) : R_NilValue;
}
