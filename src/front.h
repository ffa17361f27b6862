// The first values of a vector as a vector: room was made for more than there are.
#pragma once
#include <cstddef>

#include <Rinternals.h>

namespace front {

// The first n values, uncopied, of integers or doubles that nothing else refers to.
SEXP values(SEXP all, std::size_t n);

}  // namespace front
