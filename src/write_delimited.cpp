// Writes tables as delimited text (RFC 4180).
#include <Rcpp.h>

#include <algorithm>
#include <atomic>
#include <cerrno>
#include <cmath>
#include <cstdio>
#include <cstring>
#include <string>
#include <vector>

#include "exact_numbers.h"
#include "file_handle.h"
#include "text.h"
#include "threads.h"

namespace {

// A text as a field: in quotes if it would be read as something else without them.
void append_field(std::string& out, const char* text, char delimiter) {
  const char special[] = {delimiter, '"', '\n', '\r', '\0'};
  if (std::strpbrk(text, special) == nullptr) {
    out += text;
    return;
  }
  out += '"';
  for (; *text != '\0'; ++text) {
    if (*text == '"') out += '"';
    out += *text;
  }
  out += '"';
}

// The cells of a column: the field of each label, one behind another, and the label of each row; or amounts.
class Cells {
 public:
  // Without codes each row has a label of its own. `blank` is what a row without a label has.
  Cells(const Rcpp::List& column, std::size_t rows, char delimiter, const char* blank) : blank_(blank) {
    SEXP first = column[0], second = column[1];
    if (static_cast<std::size_t>(Rf_xlength(Rf_isNull(first) ? second : first)) != rows) {
      Rcpp::stop("a column has another number of rows");
    }
    if (TYPEOF(first) == REALSXP) {
      decimals_ = Rcpp::as<int>(second);
      const SEXP known = exact_numbers::wholes(first, std::pow(10.0, decimals_));
      minor_ = TYPEOF(known) == REALSXP;
      amounts_ = REAL_RO(minor_ ? known : first);
      return;
    }
    if (!Rf_isNull(first)) codes_ = INTEGER_RO(first);
    labels_ = static_cast<std::size_t>(Rf_xlength(second));
    for (std::size_t k = 0; k < labels_; ++k) {
      starts_.push_back(fields_.size());
      const SEXP label = STRING_ELT(second, static_cast<R_xlen_t>(k));
      if (label == NA_STRING || CHAR(label)[0] == '\0') fields_ += blank;
      else append_field(fields_, CHAR(label), delimiter);
    }
    starts_.push_back(fields_.size());
    for (std::size_t k = 0; k < labels_; ++k) most_ = std::max(most_, starts_[k + 1] - starts_[k]);
  }
  // The most bytes that a cell takes.
  std::size_t most() const { return most_; }
  // Writes the cell of a row; returns its end.
  char* write(char* to, std::size_t row) const {
    if (amounts_ != nullptr) {
      if (std::isnan(amounts_[row])) return std::copy_n(blank_, std::strlen(blank_), to);
      return minor_ ? text::write_minor(to, amounts_[row], decimals_) : text::write_fixed(to, amounts_[row], decimals_);
    }
    const std::size_t k = codes_ == nullptr ? row : static_cast<std::size_t>(codes_[row]) - 1;
    // A missing code, and any below 1, is not one of the labels.
    if (k >= labels_) return std::copy_n(blank_, std::strlen(blank_), to);
    return std::copy_n(fields_.data() + starts_[k], starts_[k + 1] - starts_[k], to);
  }

 private:
  const double* amounts_ = nullptr;
  bool minor_ = false;  // are they minor units?
  int decimals_ = 0;
  const int* codes_ = nullptr;
  std::size_t labels_ = 0, most_ = text::kFixedMost;
  const char* blank_;
  std::vector<std::size_t> starts_;
  std::string fields_;
};

}  // namespace

// Writes columns, each a list of codes (from 1; NULL where each row has a label of its own) and labels in UTF-8, or of
// amounts and their decimals: "" when the system took all of them, else what it says.
// [[Rcpp::export(rng = false)]]
std::string write_delimited_kernel(std::string path, Rcpp::CharacterVector names, Rcpp::List columns, double rows,
                                   std::string delimiter, int threads) {
  const files::File file(std::fopen(path.c_str(), "wb"));
  if (!file) return std::strerror(errno);
  const std::size_t n = static_cast<std::size_t>(rows);
  // An empty line would not be read back as a row.
  const char* blank = columns.size() == 1 ? "\"\"" : "";
  std::vector<Cells> cells;
  std::string heading;
  for (R_xlen_t k = 0; k < columns.size(); ++k) {
    const Rcpp::List column = columns[k];
    cells.emplace_back(column, n, delimiter[0], blank);
    if (k > 0) heading += delimiter[0];
    append_field(heading, CHAR(STRING_ELT(names, k)), delimiter[0]);
  }
  if (!cells.empty()) heading += '\n';
  // What the system says of the first text that it does not take.
  std::atomic<int> problem{0};
  const auto write = [&](const char* text, std::size_t bytes) {
    if (problem == 0 && std::fwrite(text, 1, bytes, file.get()) != bytes) problem = errno;
  };
  write(heading.data(), heading.size());
  // Each thread puts this many rows together at once.
  constexpr std::size_t kRows = 32768;
  const int count = threads::useful(n, threads);
  std::size_t most = 1;
  for (const Cells& column : cells) most += column.most() + 1;
  std::vector<std::vector<char>> texts(count);
  std::vector<std::size_t> used(count);
  threads::in_order(static_cast<int>((n + kRows - 1) / kRows), count, [&](int part, int t) {
    if (problem != 0) return;
    std::vector<char>& out = texts[t];
    std::size_t at = 0;
    const std::size_t from = kRows * part, to = std::min(n, from + kRows);
    for (std::size_t row = from; row < to; ++row) {
      if (out.size() - at < most) out.resize(2 * out.size() + most);
      char* end = out.data() + at;
      for (std::size_t k = 0; k < cells.size(); ++k) {
        if (k > 0) *end++ = delimiter[0];
        end = cells[k].write(end, row);
      }
      *end++ = '\n';
      at = static_cast<std::size_t>(end - out.data());
    }
    used[t] = at;
    if (t == 0) Rcpp::checkUserInterrupt();
  }, [&](int, int t) {
    write(texts[t].data(), used[t]);
    files::begin_to_settle(file.get());
  });
  if (problem == 0 && std::fflush(file.get()) != 0) problem = errno;
  return problem == 0 ? "" : std::strerror(problem);
}
