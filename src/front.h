// The first values of a vector as a vector: room was made for more than there are.
#pragma once
#include <cstddef>

#include <Rinternals.h>

namespace front {

// The first n of whole numbers or doubles, which nobody else has. They are not copied.
SEXP values(SEXP all, std::size_t n);

}  // namespace front
