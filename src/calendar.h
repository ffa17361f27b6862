// Days counted from 1970-01-01 and their place in the proleptic Gregorian calendar (ISO 8601).
// The conversions are the well-known era-based ones: 400 years have 146097 days.
#pragma once
#include <cstdint>

namespace calendar {

struct Civil {
  int year;
  int month;  // 1 to 12
  int day;    // 1 to 31
};

inline int days_from_civil(int year, int month, int day) {
  year -= month <= 2;
  const int era = (year >= 0 ? year : year - 399) / 400;
  const int year_of_era = year - era * 400;
  const int day_of_year = (153 * (month + (month > 2 ? -3 : 9)) + 2) / 5 + day - 1;
  const int day_of_era = year_of_era * 365 + year_of_era / 4 - year_of_era / 100 + day_of_year;
  return era * 146097 + day_of_era - 719468;
}

inline Civil civil_from_days(int days) {
  days += 719468;
  const int era = (days >= 0 ? days : days - 146096) / 146097;
  const int day_of_era = days - era * 146097;
  const int year_of_era =
      (day_of_era - day_of_era / 1460 + day_of_era / 36524 - day_of_era / 146096) / 365;
  const int day_of_year = day_of_era - (365 * year_of_era + year_of_era / 4 - year_of_era / 100);
  const int shifted_month = (5 * day_of_year + 2) / 153;
  const int day = day_of_year - (153 * shifted_month + 2) / 5 + 1;
  const int month = shifted_month + (shifted_month < 10 ? 3 : -9);
  return {year_of_era + era * 400 + (month <= 2), month, day};
}

inline bool leap_year(int year) {
  return (year % 4 == 0 && year % 100 != 0) || year % 400 == 0;
}

inline int days_in_month(int year, int month) {
  static const int days[] = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
  return month == 2 && leap_year(year) ? 29 : days[month - 1];
}

}  // namespace calendar
