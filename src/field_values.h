// Takes the wanted fields of records as values: texts as codes, and decimals as numbers.
#pragma once
#include <algorithm>
#include <cmath>
#include <cstddef>
#include <cstdlib>
#include <memory>
#include <new>
#include <string>
#include <vector>

#include "column_profile.h"
#include "records.h"
#include "texts.h"

namespace relay {

// Where the values of a column go: the codes of texts, or numbers; neither if nobody wants it.
struct Target {
  int* codes = nullptr;
  double* numbers = nullptr;
};

// A visitor that takes values: of each record a field for each target, from the first place on.
class Values {
 public:
  Values(char decimal, double blank, std::size_t columns)
      : decimal_(decimal), blank_(blank), targets_(columns), columns_(columns), texts_(columns) {}

  // There is room for this many records, those that were taken among them.
  void set_room(const std::vector<Target>& targets, std::size_t records) {
    targets_ = targets;
    room_ = records;
  }
  void field(std::size_t k, const char* from, const char* to, bool doubled) {
    if (k >= columns_ || record_ >= room_) return;
    const Target& target = targets_[k];
    if (target.codes != nullptr) {
      if (doubled) {
        records::undouble(from, to, plain_);
        const std::size_t n = plain_.size();
        plain_.append(records::kBehind, '\0');
        target.codes[record_] = texts_[k].code(plain_.data(), n);
      } else {
        target.codes[record_] = texts_[k].code(from, static_cast<std::size_t>(to - from));
      }
    } else if (target.numbers != nullptr) {
      const double value = from == to ? blank_ : profile::number_at(from, profile::decimal_at(from, to, decimal_));
      if (from != to && std::isnan(value)) good_ = false;
      target.numbers[record_] = value;
    }
  }
  bool record(const char* start, const char* to, std::size_t found, const records::Quotes& quotes) {
    if (to == start) return true;
    ++record_;
    return good_ = good_ && record_ <= room_ && found == columns_ && !quotes.stray && !quotes.open;
  }
  // Was every record and number as it should be?
  bool good() const { return good_; }
  std::size_t records() const { return record_; }
  Texts& texts(std::size_t k) { return texts_[k]; }

 private:
  char decimal_;
  double blank_;
  std::vector<Target> targets_;
  std::size_t columns_;
  std::vector<Texts> texts_;
  std::string plain_;
  std::size_t room_ = 0, record_ = 0;
  bool good_ = true;
};

// Memory for values that may grow; what is not used is not touched.
template <typename T>
class Growing {
 public:
  void make_room(std::size_t n) {
    if (n <= held_) return;
    held_ = std::max(n, 2 * held_);
    void* larger = std::realloc(data_.get(), held_ * sizeof(T));
    if (larger == nullptr) throw std::bad_alloc();
    data_.release();
    data_.reset(static_cast<T*>(larger));
  }
  T* data() const { return data_.get(); }
  void clear() {
    data_.reset();
    held_ = 0;
  }

 private:
  struct Free {
    void operator()(T* data) const { std::free(data); }
  };
  std::unique_ptr<T, Free> data_;
  std::size_t held_ = 0;
};

// What becomes of a column while records are counted.
enum class Taken { kNot, kText, kNumber };

// The values that are taken while records are counted, which tells how many there are only in the end.
class Gatherer {
 public:
  Gatherer(char decimal, double blank, const std::vector<Taken>& kinds)
      : kinds_(kinds), codes_(kinds.size()), numbers_(kinds.size()), values_(decimal, blank, kinds.size()) {}

  // For the records of this many more bytes: each takes at least a byte for every field.
  void make_room(std::size_t bytes) {
    const std::size_t n = values_.records() + bytes / std::max<std::size_t>(kinds_.size(), 1) + 1;
    std::vector<Target> targets(kinds_.size());
    for (std::size_t k = 0; k < kinds_.size(); ++k) {
      if (kinds_[k] == Taken::kText) {
        codes_[k].make_room(n);
        targets[k].codes = codes_[k].data();
      } else if (kinds_[k] == Taken::kNumber) {
        numbers_[k].make_room(n);
        targets[k].numbers = numbers_[k].data();
      }
    }
    values_.set_room(targets, n);
  }
  Values& values() { return values_; }
  Growing<int>& codes(std::size_t k) { return codes_[k]; }
  Growing<double>& numbers(std::size_t k) { return numbers_[k]; }

 private:
  std::vector<Taken> kinds_;
  std::vector<Growing<int>> codes_;
  std::vector<Growing<double>> numbers_;
  Values values_;
};

}  // namespace relay
