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

enum class Grain { day, week, month, quarter, year };

// A sales calendar: where the year starts, where the week starts, and whether months are runs of
// 4, 4 and 5 weeks.
struct Sales {
  int start_month;   // 1 to 12
  int start_day;     // 1 to 28
  int week_start;    // 0 for Monday to 6 for Sunday
  bool weeks_445;
};

inline int floor_div(int a, int b) { return a >= 0 ? a / b : -((b - 1 - a) / b); }

// Day 0, 1970-01-01, was a Thursday.
inline int weekday(int day) { return day + 3 - 7 * floor_div(day + 3, 7); }

inline int week_start(int day, const Sales& sales) {
  const int back = weekday(day) - sales.week_start;
  return day - (back >= 0 ? back : back + 7);
}

// The week start nearest to the year's date: the first week with at least four days in the year.
inline int year_start_445(int year, const Sales& sales) {
  return week_start(days_from_civil(year, sales.start_month, sales.start_day) + 3, sales);
}

// The year a day belongs to, named by the calendar year it starts in (or nearest to).
inline int sales_year(int day, const Sales& sales) {
  const Civil civil = civil_from_days(day);
  if (!sales.weeks_445) {
    const bool before = civil.month < sales.start_month ||
                        (civil.month == sales.start_month && civil.day < sales.start_day);
    return civil.year - before;
  }
  int year = civil.year + 1;
  while (year_start_445(year, sales) > day) --year;
  return year;
}

inline int year_start(int day, const Sales& sales) {
  const int year = sales_year(day, sales);
  return sales.weeks_445 ? year_start_445(year, sales)
                         : days_from_civil(year, sales.start_month, sales.start_day);
}

// Position in the year, from 0: week, month and quarter. The 53rd week belongs to the last month.
inline int week_of_year(int day, const Sales& sales) { return (day - year_start(day, sales)) / 7; }

inline int month_of_year(int day, const Sales& sales) {
  if (sales.weeks_445) {
    const int week = week_of_year(day, sales);
    if (week >= 52) return 11;
    const int in_quarter = week % 13;
    return week / 13 * 3 + (in_quarter < 4 ? 0 : in_quarter < 8 ? 1 : 2);
  }
  const Civil civil = civil_from_days(day);
  return (civil.month - (civil.day < sales.start_day) - sales.start_month + 24) % 12;
}

// First day of the month at this position of the day's year.
inline int month_start_at(int day, int position, const Sales& sales) {
  if (sales.weeks_445) {
    static const int weeks[] = {0, 4, 8};
    return year_start(day, sales) + 7 * (position / 3 * 13 + weeks[position % 3]);
  }
  const int month = sales.start_month - 1 + position;
  return days_from_civil(sales_year(day, sales) + month / 12, month % 12 + 1, sales.start_day);
}

inline int period_start(int day, Grain grain, const Sales& sales) {
  switch (grain) {
    case Grain::week: return week_start(day, sales);
    case Grain::month: return month_start_at(day, month_of_year(day, sales), sales);
    case Grain::quarter: return month_start_at(day, month_of_year(day, sales) / 3 * 3, sales);
    case Grain::year: return year_start(day, sales);
    default: return day;
  }
}

// First day of the year after the one that a day belongs to.
inline int next_year_start(int day, const Sales& sales) {
  const int year = sales_year(day, sales) + 1;
  return sales.weeks_445 ? year_start_445(year, sales) : days_from_civil(year, sales.start_month, sales.start_day);
}

// First day of the month at this position, where 12 is the first of the next year.
inline int month_start_after(int day, int position, const Sales& sales) {
  return position < 12 ? month_start_at(day, position, sales) : next_year_start(day, sales);
}

inline int period_end(int day, Grain grain, const Sales& sales) {
  switch (grain) {
    case Grain::week: return week_start(day, sales) + 6;
    case Grain::month: return month_start_after(day, month_of_year(day, sales) + 1, sales) - 1;
    case Grain::quarter: return month_start_after(day, month_of_year(day, sales) / 3 * 3 + 3, sales) - 1;
    case Grain::year: return next_year_start(day, sales) - 1;
    default: return day;
  }
}

}  // namespace calendar
