// Conditions: what each line answers. Parts are looked up by code, compared with a number or given line by line, and
// joined by "and", "or" and "not", block by block.
#include <Rcpp.h>

#include <cmath>
#include <string>
#include <vector>

#include "memory.h"
#include "threads.h"

namespace conditions {

constexpr std::size_t kBlock = 2048;

// One bit says that the answer may be yes, the other that it may be no: both of an unclear one.
using Answer = uint8_t;
constexpr Answer kYes = 1, kNo = 2, kUnclear = 3;

inline Answer of_logical(int value) { return value == NA_LOGICAL ? kUnclear : value != 0 ? kYes : kNo; }
inline int to_logical(Answer answer) { return answer == kUnclear ? NA_LOGICAL : answer == kYes; }

enum class What { looked_up, compared, given, both, either, opposite };

struct Part {
  What what;
  std::string compare;                // the operator
  const int* whole = nullptr;         // codes, amounts or answers
  const double* number = nullptr;     // amounts
  int first = 0;                      // of the codes
  std::vector<Answer> answers;        // of each code, and of a missing one; of all lines alike
  double scale = 1, bound = 0;
};

template <typename Holds>
void compare(const Part& part, std::size_t from, std::size_t n, Answer* out, Holds holds) {
  if (part.whole != nullptr) {
    const int* value = part.whole + from;
    for (std::size_t i = 0; i < n; ++i) {
      const Answer clear = holds(value[i] / part.scale, part.bound) ? kYes : kNo;
      out[i] = value[i] == NA_INTEGER ? kUnclear : clear;
    }
    return;
  }
  const double* value = part.number + from;
  for (std::size_t i = 0; i < n; ++i) {
    const Answer clear = holds(value[i] / part.scale, part.bound) ? kYes : kNo;
    out[i] = std::isnan(value[i]) ? kUnclear : clear;
  }
}

void compare(const Part& part, std::size_t from, std::size_t n, Answer* out) {
  const std::string& by = part.compare;
  if (by == ">") compare(part, from, n, out, [](double x, double bound) { return x > bound; });
  else if (by == ">=") compare(part, from, n, out, [](double x, double bound) { return x >= bound; });
  else if (by == "<") compare(part, from, n, out, [](double x, double bound) { return x < bound; });
  else if (by == "<=") compare(part, from, n, out, [](double x, double bound) { return x <= bound; });
  else if (by == "==") compare(part, from, n, out, [](double x, double bound) { return x == bound; });
  else compare(part, from, n, out, [](double x, double bound) { return x != bound; });
}

void look_up(const Part& part, std::size_t from, std::size_t n, Answer* out) {
  const Answer* known = part.answers.data();
  const uint32_t missing = static_cast<uint32_t>(part.answers.size() - 1), first = static_cast<uint32_t>(part.first);
  const int* code = part.whole + from;
  // What lies before the first code is far behind the last one as a number without a sign.
  for (std::size_t i = 0; i < n; ++i) out[i] = known[std::min(static_cast<uint32_t>(code[i]) - first, missing)];
}

// Answers lines from..from + n in the first block of `stack`.
void answer(const std::vector<Part>& parts, std::size_t from, std::size_t n, std::vector<Answer>& stack) {
  std::size_t depth = 0;
  for (const Part& part : parts) {
    Answer* top = stack.data() + depth * kBlock;
    switch (part.what) {
      case What::looked_up: look_up(part, from, n, top); ++depth; break;
      case What::compared: compare(part, from, n, top); ++depth; break;
      case What::given:
        if (part.whole == nullptr) std::fill(top, top + n, part.answers[0]);
        else for (std::size_t i = 0; i < n; ++i) top[i] = of_logical(part.whole[from + i]);
        ++depth;
        break;
      case What::both:
      case What::either: {
        // Yes and no change their places in the one of the other.
        const Answer needs = part.what == What::both ? kYes : kNo;
        Answer *a = top - 2 * kBlock, *b = top - kBlock;
        for (std::size_t i = 0; i < n; ++i) {
          a[i] = static_cast<Answer>((a[i] & b[i] & needs) | ((a[i] | b[i]) & (kUnclear ^ needs)));
        }
        --depth;
        break;
      }
      case What::opposite: {
        Answer* a = top - kBlock;
        for (std::size_t i = 0; i < n; ++i) a[i] = static_cast<Answer>(a[i] >> 1 | (a[i] & 1) << 1);
        break;
      }
    }
  }
}

// The parts in the order in which they are taken, checked: each operator finds what it joins, and one answer is left.
std::vector<Part> read(const Rcpp::List& parts, std::size_t lines, std::size_t& deepest) {
  std::vector<Part> out;
  std::size_t depth = 0;
  deepest = 0;
  for (R_xlen_t p = 0; p < parts.size(); ++p) {
    SEXP one = parts[p];
    Part part;
    if (TYPEOF(one) == STRSXP) {
      const std::string join = Rcpp::as<std::string>(one);
      part.what = join == "&" ? What::both : join == "|" ? What::either : What::opposite;
      const std::size_t taken = join == "!" ? 1 : 2;
      if (depth < taken) Rcpp::stop("nothing to join");
      depth -= taken;
    } else {
      const Rcpp::List given(one);
      SEXP x = given["x"];
      const bool whole = TYPEOF(x) == INTSXP || TYPEOF(x) == LGLSXP;
      if (!whole && TYPEOF(x) != REALSXP) Rcpp::stop("codes, numbers or answers");
      const std::size_t held = Rf_xlength(x);
      part.whole = TYPEOF(x) == INTSXP ? INTEGER_RO(x) : whole ? LOGICAL_RO(x) : nullptr;
      if (given.containsElementNamed("answers")) {
        part.what = What::looked_up;
        part.first = Rcpp::as<int>(given["first"]);
        for (const int known : Rcpp::LogicalVector(static_cast<SEXP>(given["answers"]))) {
          part.answers.push_back(of_logical(known));
        }
        if (part.whole == nullptr || part.answers.empty()) Rcpp::stop("an answer for each code, and for none");
      } else if (given.containsElementNamed("compare")) {
        part.what = What::compared;
        part.compare = Rcpp::as<std::string>(given["compare"]);
        part.scale = Rcpp::as<double>(given["scale"]);
        part.bound = Rcpp::as<double>(given["bound"]);
        if (!whole) part.number = REAL_RO(x);
      } else {
        part.what = What::given;
        if (TYPEOF(x) != LGLSXP) Rcpp::stop("answers are yes or no");
        if (held == 1) {
          part.answers.push_back(of_logical(part.whole[0]));
          part.whole = nullptr;
        }
      }
      if (held != lines && !(part.what == What::given && held == 1)) Rcpp::stop("an answer for each line");
    }
    ++depth;
    deepest = std::max(deepest, depth);
    out.push_back(std::move(part));
  }
  if (depth != 1) Rcpp::stop("one answer for each line");
  return out;
}

// put(line, answer) for each line, by threads.
template <typename Put>
void each_line(const Rcpp::List& parts, std::size_t lines, int wanted, Put put) {
  std::size_t deepest = 0;
  const std::vector<Part> program = read(parts, lines, deepest);
  threads::ranges(lines, wanted, [&](std::size_t from, std::size_t to) {
    std::vector<Answer> stack(deepest * kBlock);
    for (std::size_t at = from; at < to; at += kBlock) {
      const std::size_t n = std::min(kBlock, to - at);
      answer(program, at, n, stack);
      put(at, n, stack.data());
    }
  });
}

}  // namespace conditions

// What each line answers.
// [[Rcpp::export(rng = false)]]
SEXP answers_kernel(Rcpp::List parts, double lines, int threads) {
  const std::size_t n = static_cast<std::size_t>(lines);
  Rcpp::Shield<SEXP> out(pages::vector(LGLSXP, n));
  int* to = LOGICAL(out);
  conditions::each_line(parts, n, threads, [to](std::size_t from, std::size_t held, const conditions::Answer* answers) {
    for (std::size_t i = 0; i < held; ++i) to[from + i] = conditions::to_logical(answers[i]);
  });
  return out;
}

// The rows (from 1) of lines that answer as wanted, and how many answers are unclear.
// [[Rcpp::export(rng = false)]]
Rcpp::List rows_where_kernel(Rcpp::List parts, double lines, Rcpp::LogicalVector wanted, int threads) {
  using conditions::Answer;
  const std::size_t n = static_cast<std::size_t>(lines);
  const Answer sought = conditions::of_logical(wanted[0]);
  // All answers first, since a thread must know where to write.
  pages::Zeros<Answer> held(n);
  Answer* answers = held.get();
  conditions::each_line(parts, n, threads, [answers](std::size_t from, std::size_t count, const Answer* given) {
    std::copy(given, given + count, answers + from);
  });
  const int count = threads::useful(n, threads);
  std::vector<std::size_t> kept(count + 1, 0), unclear(count, 0);
  threads::each_range(n, count, [&](std::size_t from, std::size_t end, int t) {
    std::size_t good = 0, none = 0;
    for (std::size_t i = from; i < end; ++i) {
      good += answers[i] == sought;
      none += answers[i] == conditions::kUnclear;
    }
    kept[t + 1] = good;
    unclear[t] = none;
  });
  std::size_t missing = 0;
  for (int t = 0; t < count; ++t) {
    kept[t + 1] += kept[t];
    missing += unclear[t];
  }
  const Rcpp::Shield<SEXP> rows(pages::vector(INTSXP, kept[count]));
  int* out = INTEGER(rows);
  threads::each_range(n, count, [&](std::size_t i, std::size_t, int t) {
    int *to = out + kept[t], *last = out + kept[t + 1];
    // Always writes, but advances only for a wanted line: this avoids a branch.
    for (; to < last; ++i) {
      *to = static_cast<int>(i) + 1;
      to += answers[i] == sought;
    }
  });
  return Rcpp::List::create(Rcpp::_["rows"] = rows, Rcpp::_["unclear"] = static_cast<double>(missing));
}
