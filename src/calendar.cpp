#include <Rcpp.h>

#include "calendar.h"

namespace {

calendar::Grain grain_of(const std::string& name) {
  if (name == "day") return calendar::Grain::day;
  if (name == "week") return calendar::Grain::week;
  if (name == "month") return calendar::Grain::month;
  if (name == "quarter") return calendar::Grain::quarter;
  if (name == "year") return calendar::Grain::year;
  Rcpp::stop("unknown period: %s", name);
}

calendar::Sales sales_of(const Rcpp::IntegerVector& rules) {
  return {rules[0], rules[1], rules[2], rules[3] != 0};
}

template <typename Of>
Rcpp::IntegerVector each_day(const Rcpp::IntegerVector& days, Of of) {
  Rcpp::IntegerVector out(days.size());
  for (R_xlen_t i = 0; i < days.size(); ++i) out[i] = days[i] == NA_INTEGER ? NA_INTEGER : of(days[i]);
  return out;
}

}  // namespace

// First or last day of each day's period. `rules`: start month, start day, week start (0 Monday),
// 1 for months of 4, 4 and 5 weeks.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector period_bounds_kernel(Rcpp::IntegerVector days, std::string every, bool last,
                                         Rcpp::IntegerVector rules) {
  const auto grain = grain_of(every);
  const auto sales = sales_of(rules);
  return each_day(days, [&](int day) {
    return last ? calendar::period_end(day, grain, sales) : calendar::period_start(day, grain, sales);
  });
}

// Where each day is: the sales year, or the week, month or quarter of it from 1; the day of its month, or the weekday
// (1 for Monday).
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector position_kernel(Rcpp::IntegerVector days, std::string what, Rcpp::IntegerVector rules) {
  const auto sales = sales_of(rules);
  if (what == "year") return each_day(days, [&](int day) { return calendar::sales_year(day, sales); });
  if (what == "week") return each_day(days, [&](int day) { return calendar::week_of_year(day, sales) + 1; });
  if (what == "month") return each_day(days, [&](int day) { return calendar::month_of_year(day, sales) + 1; });
  if (what == "quarter") return each_day(days, [&](int day) { return calendar::month_of_year(day, sales) / 3 + 1; });
  if (what == "day") return each_day(days, [&](int day) { return calendar::civil_from_days(day).day; });
  if (what == "weekday") return each_day(days, [&](int day) { return calendar::weekday(day) + 1; });
  Rcpp::stop("unknown position: %s", what);
}
