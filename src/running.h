// Figures that run along an order: running totals, moving sums, cumulative totals before a member.
#pragma once
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <vector>

#include "money.h"

namespace running {

// Units of one row; a missing value adds nothing.
inline int64_t minor_at(double value) { return std::isnan(value) ? 0 : static_cast<int64_t>(value); }

// Totals up to and with each row's place. Rows of one scope at one place are one: all get the total
// at the end of the place. Rows are in order of scope, then place.
template <typename Put>
void totals(const int* order, std::size_t n, const int* scope, const int* place, const double* value, Put put) {
  int64_t total = 0;
  for (std::size_t i = 0; i < n;) {
    if (i == 0 || scope[order[i]] != scope[order[i - 1]]) total = 0;
    std::size_t end = i;
    while (end < n && scope[order[end]] == scope[order[i]] && place[order[end]] == place[order[i]]) {
      total = money::add(total, minor_at(value[order[end++]]));
    }
    for (; i < end; ++i) put(order[i], total);
  }
}

// The same of rows that are in order of place, whatever their scopes: no order is needed. Rows without a place (0) are
// left out. False where the rows are in another order.
template <typename Put, typename Leave>
bool totals_in_order(std::size_t n, const int* scope, std::size_t scopes, const int* place, const double* value,
                     Put put, Leave leave_out) {
  for (std::size_t i = 1; i < n; ++i) {
    if (place[i] < place[i - 1]) return false;
  }
  std::vector<int64_t> total(scopes + 1, 0);
  for (std::size_t i = 0; i < n;) {
    std::size_t end = i;
    for (; end < n && place[end] == place[i]; ++end) {
      if (place[i] > 0) total[scope[end]] = money::add(total[scope[end]], minor_at(value[end]));
    }
    for (; i < end; ++i) {
      if (place[i] > 0) put(i, total[scope[i]]);
      else leave_out(i);
    }
  }
  return true;
}

// Sums over the last `width` places, the row's own included; places without a row count as nothing.
template <typename Put>
void moving(const int* order, std::size_t n, const int* scope, const int* place, const double* value, int width,
            Put put) {
  int64_t total = 0;
  std::size_t back = 0;  // first row still in the window
  for (std::size_t i = 0; i < n;) {
    if (i == 0 || scope[order[i]] != scope[order[i - 1]]) {
      total = 0;
      back = i;
    }
    std::size_t end = i;
    while (end < n && scope[order[end]] == scope[order[i]] && place[order[end]] == place[order[i]]) {
      total = money::add(total, minor_at(value[order[end++]]));
    }
    while (place[order[back]] <= place[order[i]] - width) total = money::add(total, -minor_at(value[order[back++]]));
    for (; i < end; ++i) put(order[i], total);
  }
}

}  // namespace running
