// The value of an expression for each line, in exact decimals: rounded once, at the end.
#include <Rcpp.h>

#include <array>
#include <climits>
#include <cstdint>
#include <vector>

#include "exact_numbers.h"
#include "memory.h"
#include "money.h"
#include "threads.h"

namespace line_values {

namespace {

__extension__ typedef __int128 Wide;

// What a value is, the worst last.
enum State : uint8_t { fine, missing, not_a_number, too_large };

enum class Op { column, add, subtract, multiply, divide, negate, absolute, least, largest, choose, round, whole_part };

constexpr int kMostPower = 38;

Wide wide_power(int exponent) {
  static const std::array<Wide, kMostPower + 1> table = [] {
    std::array<Wide, kMostPower + 1> powers;
    powers[0] = 1;
    for (int i = 1; i <= kMostPower; ++i) powers[i] = powers[i - 1] * 10;
    return powers;
  }();
  return table[exponent];
}

int64_t power(int exponent) { return static_cast<int64_t>(wide_power(exponent)); }

constexpr int kMostShortPower = 18;

// One value: number / parts / 10^decimals. Where a result does not fit, what divides both is taken out first.
struct Fraction {
  Wide number = 0, parts = 1;
  int decimals = 0;
  State state = fine;

  void shorten() {
    Wide a = number < 0 ? -number : number, b = parts;
    while (b != 0) {
      const Wide rest = a % b;
      a = b;
      b = rest;
    }
    if (a > 1) {
      number /= a;
      parts /= a;
    }
    while (decimals > 0 && number % 10 == 0) {
      number /= 10;
      --decimals;
    }
  }
};

Fraction in_state(State state) {
  Fraction out;
  out.state = state;
  return out;
}

bool times(Wide a, Wide b, Wide& to) { return !__builtin_mul_overflow(a, b, &to); }

// Calls work(), which says whether all fitted, and if not calls it again with shorter fractions.
template <typename Work>
Fraction fitting(Fraction& a, Fraction& b, Work work) {
  Fraction out;
  if (work(out)) return out;
  a.shorten();
  b.shorten();
  return work(out) ? out : in_state(too_large);
}

bool same_decimals(Fraction& a, Fraction& b) {
  Fraction& fewer = a.decimals < b.decimals ? a : b;
  const int decimals = std::max(a.decimals, b.decimals), more = decimals - fewer.decimals;
  if (more > kMostPower || !times(fewer.number, wide_power(more), fewer.number)) return false;
  fewer.decimals = decimals;
  return true;
}

Fraction sum(Fraction a, Fraction b, bool minus) {
  return fitting(a, b, [&](Fraction& out) {
    Fraction x = a, y = b;
    if (!same_decimals(x, y)) return false;
    if (x.parts != y.parts && (!times(x.number, b.parts, x.number) || !times(y.number, a.parts, y.number) ||
                               !times(a.parts, b.parts, x.parts))) return false;
    out = x;
    return minus ? !__builtin_sub_overflow(x.number, y.number, &out.number)
                 : !__builtin_add_overflow(x.number, y.number, &out.number);
  });
}

Fraction product(Fraction a, Fraction b) {
  return fitting(a, b, [&](Fraction& out) {
    out.decimals = a.decimals + b.decimals;
    return times(a.number, b.number, out.number) && times(a.parts, b.parts, out.parts);
  });
}

Fraction quotient(Fraction a, Fraction b) {
  if (b.number == 0) return in_state(not_a_number);
  if (b.number < 0) {
    a.number = -a.number;
    b.number = -b.number;
  }
  return fitting(a, b, [&](Fraction& out) {
    Fraction x = a, y = b;
    if (!same_decimals(x, y)) return false;
    return times(x.number, y.parts, out.number) && times(x.parts, y.number, out.parts);
  });
}

int compared(const Fraction& a, const Fraction& b) {
  const Fraction apart = sum(a, b, true);
  // Beyond what fits their signs, or their approximate values, decide.
  if (apart.state == too_large) {
    const auto about = [](const Fraction& x) {
      return static_cast<long double>(x.number) / static_cast<long double>(x.parts) / powl(10, x.decimals);
    };
    return about(a) < about(b) ? -1 : 1;
  }
  return apart.number < 0 ? -1 : apart.number > 0;
}

// number / parts, rounded.
template <typename Whole>
Whole rounded(Whole number, Whole parts, money::Rounding rounding) {
  const bool below = number < 0;
  const Whole size = below ? -number : number;
  Whole whole = size / parts;
  const Whole rest = size % parts;
  const bool half = parts % 2 == 0 && rest == parts / 2;
  if (half ? rounding == money::Rounding::half_up || whole % 2 == 1 : rest > parts / 2) ++whole;
  return below ? -whole : whole;
}

// The whole number of 10^-decimals that is nearest.
Fraction rounded_to(Fraction x, int decimals, money::Rounding rounding) {
  if (x.state != fine) return x;
  for (int turn = 0; turn < 2; ++turn, x.shorten()) {
    Wide number = x.number, parts = x.parts;
    const int more = decimals - x.decimals;
    Wide& scaled = more > 0 ? number : parts;
    if (std::abs(more) > kMostPower || !times(scaled, wide_power(std::abs(more)), scaled)) continue;
    Fraction out;
    out.number = rounded(number, parts, rounding);
    out.decimals = decimals;
    if (decimals < 0) {
      if (!times(out.number, wide_power(-decimals), out.number)) return in_state(too_large);
      out.decimals = 0;
    }
    return out;
  }
  if (decimals >= x.decimals) return in_state(too_large);
  // So many parts that they cannot be counted: what is left is near 0.
  Fraction out;
  out.number = static_cast<Wide>(roundl(static_cast<long double>(x.number) / static_cast<long double>(x.parts) *
                                        powl(10, decimals - x.decimals)));
  out.decimals = decimals;
  return out;
}

Fraction whole_part(Fraction x) {
  Wide parts;
  x.shorten();
  if (x.decimals > kMostPower || !times(x.parts, wide_power(x.decimals), parts)) return in_state(too_large);
  Fraction out;
  out.number = x.number / parts - (x.number % parts < 0);
  return out;
}

// A column: whole numbers of 10^-decimals, numbers that are read as decimals, or answers. One value may be for all
// lines.
struct Column {
  const int* whole = nullptr;
  const double* number = nullptr;
  bool is_whole = true, one = false;
  int decimals = 0;
  std::size_t at(std::size_t line) const { return one ? 0 : line; }
};

State state_of(double x) { return std::isfinite(x) ? fine : R_IsNA(x) ? missing : not_a_number; }

// A double as the decimal of 15 significant digits.
Fraction decimal_of(double x) {
  Fraction out;
  if (x == 0) return out;
  const int digits = static_cast<int>(std::floor(std::log10(std::fabs(x)))) + 1;
  out.decimals = 15 - digits;
  if (out.decimals > 2 * kMostPower || digits > kMostPower) return x < 1 && x > -1 ? Fraction() : in_state(too_large);
  out.number = static_cast<Wide>(roundl(static_cast<long double>(x) * powl(10, out.decimals)));
  while (out.number % 10 == 0 && out.decimals > 0) {
    out.number /= 10;
    --out.decimals;
  }
  if (out.decimals < 0) {
    if (!times(out.number, wide_power(-out.decimals), out.number)) return in_state(too_large);
    out.decimals = 0;
  }
  return out;
}

Fraction value_of(const Column& column, std::size_t line) {
  const std::size_t i = column.at(line);
  Fraction out;
  out.decimals = column.decimals;
  if (column.whole != nullptr) {
    if (column.whole[i] == INT_MIN) return in_state(missing);
    out.number = column.whole[i];
    return out;
  }
  const double x = column.number[i];
  if (!std::isfinite(x)) return in_state(state_of(x));
  if (!column.is_whole) return decimal_of(x);
  out.number = static_cast<Wide>(x);
  return out;
}

struct Step {
  Op op;
  int argument;  // a column, or how many decimals to round to
};

// An expression in the order in which it is computed: operands come before what takes them.
struct Program {
  std::vector<Step> steps;
  std::vector<Column> columns;
  money::Rounding rounding;
  bool one_by_one = false;
};

Fraction computed(const Program& program, std::size_t line, std::vector<Fraction>& stack) {
  stack.clear();
  const auto pop = [&] {
    const Fraction top = stack.back();
    stack.pop_back();
    return top;
  };
  for (const Step& step : program.steps) {
    if (step.op == Op::column) {
      stack.push_back(value_of(program.columns[step.argument], line));
      continue;
    }
    const Fraction b = pop();
    Fraction out = b;
    if (step.op == Op::choose) {
      const Fraction a = pop();
      const Column& answers = program.columns[step.argument];
      const int yes = answers.whole[answers.at(line)];
      stack.push_back(yes == NA_LOGICAL ? in_state(missing) : yes ? a : b);
      continue;
    }
    if (step.op == Op::negate || step.op == Op::absolute) {
      if (step.op == Op::negate || out.number < 0) out.number = -out.number;
    } else if (step.op == Op::round) {
      out = rounded_to(b, step.argument, program.rounding);
    } else if (step.op == Op::whole_part) {
      if (b.state == fine) out = whole_part(b);
    } else {
      const Fraction a = pop();
      if (a.state != fine || b.state != fine) {
        out = in_state(std::max(a.state, b.state));
      } else if (step.op == Op::add || step.op == Op::subtract) {
        out = sum(a, b, step.op == Op::subtract);
      } else if (step.op == Op::multiply) {
        out = product(a, b);
      } else if (step.op == Op::divide) {
        out = quotient(a, b);
      } else {
        out = (compared(a, b) <= 0) == (step.op == Op::least) ? a : b;
      }
    }
    stack.push_back(out);
  }
  return stack.back();
}

// Some lines at once, in 64 bits: what most expressions need. All values of a step have the same decimals.
constexpr std::size_t kBlock = 512;

struct Values {
  std::array<int64_t, kBlock> number;
  std::array<uint8_t, kBlock> state;
  bool all_fine = true;
  int decimals = 0;
};

// Numbers with more decimals than this are taken one by one.
constexpr int kMostDecimals = 15;

class Block {
 public:
  explicit Block(const Program& program) : program_(program) {}

  // The values of lines from..from + n, as numerators and, of a quotient, denominators; false where they do not fit.
  bool compute(std::size_t from, std::size_t n) {
    used_ = 0;
    divided_ = false;
    for (std::size_t i = 0; i < program_.steps.size(); ++i) {
      if (divided_ || !step(program_.steps[i], from, n)) return false;
    }
    return true;
  }
  bool divided() const { return divided_; }
  // Do all of n quotients have no more than this many decimals?
  bool have_decimals(std::size_t n, int decimals) const {
    if (!divided_ || !result().all_fine || !parts().all_fine) return false;
    const int64_t by = power(decimals);
    bool all = true;
    for (std::size_t i = 0; i < n && all; ++i) {
      int64_t scaled;
      const int64_t part = parts().number[i];
      all = part == 0 || (!__builtin_mul_overflow(result().number[i], by, &scaled) && scaled % part == 0);
    }
    return all;
  }
  const Values& result() const { return stack_[0]; }
  const Values& parts() const { return stack_[1]; }

 private:
  Values& push() {
    if (used_ == stack_.size()) stack_.emplace_back();
    return stack_[used_++];
  }

  bool step(const Step& step, std::size_t from, std::size_t n) {
    if (step.op == Op::column) return take(program_.columns[step.argument], from, n, push());
    if (step.op == Op::round || step.op == Op::whole_part) return false;
    Values& last = stack_[used_ - 1];
    if (step.op == Op::negate || step.op == Op::absolute) {
      const bool always = step.op == Op::negate;
      for (std::size_t i = 0; i < n; ++i) {
        if (always || last.number[i] < 0) last.number[i] = -last.number[i];
      }
      return true;
    }
    Values& a = stack_[used_ - 2];
    if (step.op == Op::divide) {
      // Only the last step may divide here: then the numerators and denominators are what is left.
      divided_ = used_ == 2;
      return divided_ && align(a, last, n);
    }
    --used_;
    if (step.op == Op::multiply) return multiply(a, last, n);
    if (!align(a, last, n)) return false;
    if (step.op == Op::choose) {
      choose(program_.columns[step.argument], a, last, from, n);
      return true;
    }
    bool over = false;
    int64_t* x = a.number.data();
    const int64_t* y = last.number.data();
    if (step.op == Op::add) {
      for (std::size_t i = 0; i < n; ++i) over |= __builtin_add_overflow(x[i], y[i], &x[i]);
    } else if (step.op == Op::subtract) {
      for (std::size_t i = 0; i < n; ++i) over |= __builtin_sub_overflow(x[i], y[i], &x[i]);
    } else if (step.op == Op::least) {
      for (std::size_t i = 0; i < n; ++i) x[i] = std::min(x[i], y[i]);
    } else {
      for (std::size_t i = 0; i < n; ++i) x[i] = std::max(x[i], y[i]);
    }
    worse(a, last, n);
    return !over;
  }

  static bool take(const Column& column, std::size_t from, std::size_t n, Values& to) {
    to.decimals = column.decimals;
    to.all_fine = true;
    if (column.decimals > kMostDecimals) return false;
    const std::size_t step = column.one ? 0 : 1;
    const std::size_t first = column.at(from);
    if (column.whole != nullptr) {
      const int* x = column.whole + first;
      bool all = true;
      for (std::size_t i = 0; i < n; ++i) {
        const int value = x[i * step];
        to.number[i] = value == INT_MIN ? 0 : value;
        all &= value != INT_MIN;
      }
      if (!all) {
        for (std::size_t i = 0; i < n; ++i) to.state[i] = x[i * step] == INT_MIN ? missing : fine;
      }
      to.all_fine = all;
      return true;
    }
    const double* x = column.number + first;
    const double scale = column.is_whole ? 1 : money::power_of_ten(column.decimals);
    bool all = true, fits = true;
    for (std::size_t i = 0; i < n; ++i) {
      const double scaled = x[i * step] * scale;
      const bool good = std::fabs(scaled) < 2251799813685248.0;
      all &= good;
      to.number[i] = static_cast<int64_t>(money::nearest_whole(good ? scaled : 0));
    }
    if (all) return true;
    for (std::size_t i = 0; i < n; ++i) {
      to.state[i] = state_of(x[i * step]);
      fits &= to.state[i] != fine || std::fabs(x[i * step] * scale) < 2251799813685248.0;
    }
    to.all_fine = false;
    return fits;
  }

  static bool align(Values& a, Values& b, std::size_t n) {
    Values& fewer = a.decimals < b.decimals ? a : b;
    const int decimals = std::max(a.decimals, b.decimals), more = decimals - fewer.decimals;
    if (more == 0) return true;
    if (more > kMostShortPower) return false;
    bool over = false;
    const int64_t by = power(more);
    for (std::size_t i = 0; i < n; ++i) over |= __builtin_mul_overflow(fewer.number[i], by, &fewer.number[i]);
    fewer.decimals = decimals;
    return !over;
  }

  static bool multiply(Values& a, const Values& b, std::size_t n) {
    bool over = false;
    for (std::size_t i = 0; i < n; ++i) over |= __builtin_mul_overflow(a.number[i], b.number[i], &a.number[i]);
    a.decimals += b.decimals;
    worse(a, b, n);
    return !over;
  }

  static void choose(const Column& answers, Values& a, const Values& b, std::size_t from, std::size_t n) {
    const std::size_t step = answers.one ? 0 : 1;
    const int* yes = answers.whole + answers.at(from);
    bool all = a.all_fine && b.all_fine;
    for (std::size_t i = 0; i < n && all; ++i) all = yes[i * step] != NA_LOGICAL;
    for (std::size_t i = 0; i < n; ++i) {
      const int answer = yes[i * step];
      if (!all) {
        const Values& chosen = answer ? a : b;
        const auto state = chosen.all_fine ? fine : static_cast<State>(chosen.state[i]);
        a.state[i] = answer == NA_LOGICAL ? missing : state;
      }
      if (!answer) a.number[i] = b.number[i];
    }
    a.all_fine = all;
  }

  // A value made of two is as bad as the worse one.
  static void worse(Values& a, const Values& b, std::size_t n) {
    if (b.all_fine) return;
    if (a.all_fine) std::copy_n(b.state.begin(), n, a.state.begin());
    else for (std::size_t i = 0; i < n; ++i) a.state[i] = std::max(a.state[i], b.state[i]);
    a.all_fine = false;
  }

  const Program& program_;
  std::vector<Values> stack_;
  std::size_t used_ = 0;
  bool divided_ = false;
};

double published(Wide minor) {
  return minor > money::kLargest || minor < -money::kLargest ? R_PosInf : static_cast<double>(minor);
}

double published(const Fraction& x, int decimals, money::Rounding rounding) {
  const Fraction minor = rounded_to(x, decimals, rounding);
  switch (minor.state) {
    case missing: return NA_REAL;
    case not_a_number: return R_NaN;
    case too_large: return R_PosInf;
    default: return published(minor.number);
  }
}

// Gives to(line, minor) the minor units of each line of a..b.
template <typename To>
void each_minor(const Program& program, int decimals, std::size_t a, std::size_t b, To to) {
  Block block(program);
  std::vector<Fraction> stack;
  for (std::size_t from = a; from < b; from += kBlock) {
    const std::size_t n = std::min(kBlock, b - from);
    const bool fits = !program.one_by_one && block.compute(from, n);
    const Values* x = fits ? &block.result() : nullptr;
    const int more = fits && !block.divided() ? decimals - x->decimals : decimals;
    if (!fits || (block.divided() && !(x->all_fine && block.parts().all_fine)) || std::abs(more) > kMostShortPower) {
      for (std::size_t i = from; i < from + n; ++i) {
        to(i, published(computed(program, i, stack), decimals, program.rounding));
      }
      continue;
    }
    const int64_t by = power(std::abs(more));
    for (std::size_t i = 0; i < n; ++i) {
      if (!x->all_fine && x->state[i] != fine) {
        to(from + i, x->state[i] == missing ? NA_REAL : x->state[i] == not_a_number ? R_NaN : R_PosInf);
      } else if (block.divided()) {
        const int64_t parts = std::abs(block.parts().number[i]);
        const int64_t number = block.parts().number[i] < 0 ? -x->number[i] : x->number[i];
        int64_t scaled;
        const bool over = __builtin_mul_overflow(number, by, &scaled);
        to(from + i, parts == 0 ? R_NaN
                     : over     ? published(rounded(static_cast<Wide>(number) * by, Wide(parts), program.rounding))
                                : published(rounded(scaled, parts, program.rounding)));
      } else if (more >= 0) {
        int64_t minor;
        const bool over = __builtin_mul_overflow(x->number[i], by, &minor);
        to(from + i, over ? R_PosInf : published(minor));
      } else {
        to(from + i, published(rounded(x->number[i], by, program.rounding)));
      }
    }
  }
}

// Does a value have no more than this many decimals?
bool has_decimals(Fraction x, int decimals) {
  if (x.state != fine) return true;
  x.shorten();
  Wide number, parts;
  if (x.decimals > kMostPower || !times(x.number, wide_power(decimals), number) ||
      !times(x.parts, wide_power(x.decimals), parts)) return false;
  return number % parts == 0;
}

Program program_of(const Rcpp::IntegerVector& ops, const Rcpp::IntegerVector& arguments, const Rcpp::List& columns,
                   const Rcpp::IntegerVector& decimals, bool half_even, std::size_t lines) {
  Program program;
  program.rounding = half_even ? money::Rounding::half_even : money::Rounding::half_up;
  for (R_xlen_t i = 0; i < columns.size(); ++i) {
    const SEXP x = columns[i];
    Column column;
    // Below 0: numbers as they are; -1 is for no decimals, -3 for two.
    column.is_whole = decimals[i] >= 0;
    column.decimals = column.is_whole ? decimals[i] : -1 - decimals[i];
    const std::size_t held = Rf_xlength(x);
    column.one = held == 1;
    if (held != 1 && held != lines) Rcpp::stop("not one value for each line");
    SEXP known = column.is_whole || column.decimals > kMostDecimals
                     ? R_NilValue : exact_numbers::wholes(x, money::power_of_ten(column.decimals));
    if (!Rf_isNull(known)) column.is_whole = true;
    const SEXP taken = Rf_isNull(known) ? x : known;
    if (TYPEOF(taken) == REALSXP) column.number = REAL_RO(taken);
    else if (TYPEOF(taken) == INTSXP) column.whole = INTEGER_RO(taken);
    else if (TYPEOF(taken) == LGLSXP) column.whole = LOGICAL_RO(taken);
    else Rcpp::stop("not a column of numbers");
    program.columns.push_back(column);
  }
  int depth = 0;
  for (R_xlen_t i = 0; i < ops.size(); ++i) {
    const Op op = static_cast<Op>(ops[i]);
    const bool unary = op == Op::negate || op == Op::absolute || op == Op::round || op == Op::whole_part;
    depth += op == Op::column ? 1 : unary ? 0 : -1;
    const bool takes = op == Op::column || op == Op::choose;
    if (depth < 1 || (takes && (arguments[i] < 0 || arguments[i] >= columns.size()))) Rcpp::stop("not an expression");
    if (op == Op::choose && program.columns[arguments[i]].whole == nullptr) Rcpp::stop("not an answer for each line");
    program.steps.push_back({op, arguments[i]});
  }
  if (depth != 1) Rcpp::stop("not an expression");
  return program;
}

}  // namespace

}  // namespace line_values

// The minor units of an expression, of `lines` lines: integers if all fit and none is missing. NA is missing, NaN not a
// number, Inf too large. `one_by_one` takes the road of values that do not fit into 64 bits for all of them.
// [[Rcpp::export(rng = false)]]
SEXP line_values_kernel(Rcpp::IntegerVector ops, Rcpp::IntegerVector arguments, Rcpp::List columns,
                        Rcpp::IntegerVector column_decimals, double lines, int decimals, bool half_even,
                        bool one_by_one, int threads) {
  using namespace line_values;
  const std::size_t n = static_cast<std::size_t>(lines);
  Program program = program_of(ops, arguments, columns, column_decimals, half_even, n);
  program.one_by_one = one_by_one;
  {
    Rcpp::Shield<SEXP> small(pages::vector(INTSXP, n));
    int* to = INTEGER(small);
    std::atomic<bool> fits{true};
    threads::ranges(n, threads, [&](std::size_t a, std::size_t b) {
      constexpr std::size_t kAtOnce = 16 * kBlock;
      for (std::size_t i = a; i < b && fits.load(std::memory_order_relaxed); i += kAtOnce) {
        bool good = true;
        each_minor(program, decimals, i, std::min(i + kAtOnce, b), [&](std::size_t line, double minor) {
          good &= std::fabs(minor) < 2147483647.0;
          to[line] = good ? static_cast<int>(minor) : 0;
        });
        if (!good) fits = false;
      }
    });
    if (fits) return small;
  }
  Rcpp::Shield<SEXP> out(pages::vector(REALSXP, n));
  double* to = REAL(out);
  threads::ranges(n, threads, [&](std::size_t a, std::size_t b) {
    each_minor(program, decimals, a, b, [&](std::size_t line, double minor) { to[line] = minor; });
  });
  return out;
}

// The fewest decimals, at most `most`, that write every value exactly; `most` + 1 when none does.
// [[Rcpp::export(rng = false)]]
int line_decimals_kernel(Rcpp::IntegerVector ops, Rcpp::IntegerVector arguments, Rcpp::List columns,
                         Rcpp::IntegerVector column_decimals, double lines, int most, int threads) {
  using namespace line_values;
  const std::size_t n = static_cast<std::size_t>(lines);
  const Program program = program_of(ops, arguments, columns, column_decimals, false, n);
  std::atomic<int> needed{0};
  threads::ranges(n, threads, [&](std::size_t a, std::size_t b) {
    Block block(program);
    std::vector<Fraction> stack;
    for (std::size_t from = a; from < b && needed <= most; from += kBlock) {
      const std::size_t to = std::min(from + kBlock, b);
      if (block.compute(from, to - from) && block.have_decimals(to - from, needed)) continue;
      for (std::size_t line = from; line < to; ++line) {
        const Fraction x = computed(program, line, stack);
        for (int now = needed; now <= most && !has_decimals(x, now); now = needed) {
          needed.compare_exchange_strong(now, now + 1);
        }
      }
    }
  });
  return std::min(needed.load(), most + 1);
}
