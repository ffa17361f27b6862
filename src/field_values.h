// Takes the wanted fields of records as values: texts as codes, decimals and days as numbers.
#pragma once
#include <algorithm>
#include <cmath>
#include <cstddef>
#include <string>
#include <vector>

#include "column_profile.h"
#include "memory.h"
#include "records.h"
#include "texts.h"

namespace relay {

// What a column is taken as; R knows it by the number.
enum class Taken { kNot, kText, kNumber, kDay };

// Where the values of a column go: the codes of texts, days since 1970-01-01, or numbers; nowhere if nobody wants it.
// A blank day is INT_MIN, as R's missing integer.
struct Target {
  int* codes = nullptr;
  double* numbers = nullptr;
};

// A visitor that takes values: of each record a field for each of the kinds, from the first place on.
class Values {
 public:
  Values(char decimal, double blank, const std::vector<Taken>& kinds)
      : decimal_(decimal), blank_(blank), kinds_(kinds), targets_(kinds.size()), texts_(kinds.size()) {}

  // There is room for this many records, those that were taken among them.
  void set_room(const std::vector<Target>& targets, std::size_t records) {
    targets_ = targets;
    room_ = records;
  }
  std::size_t fields() const { return kinds_.size(); }
  Taken kind(std::size_t k) const { return kinds_[k]; }

  void field(std::size_t k, const char* from, const char* to, bool doubled) {
    if (k >= fields() || record_ >= room_) return;
    if (kinds_[k] == Taken::kText && doubled) {
      records::undouble(from, to, plain_);
      const std::size_t n = plain_.size();
      plain_.append(records::kBehind, '\0');
      targets_[k].codes[record_] = texts_[k].code(plain_.data(), n);
    } else {
      profile::Column unseen;
      take(k, unseen, record_, [&](const auto& use) { use(from, to); });
    }
  }
  bool record(const char* start, const char* to, std::size_t found, const records::Quotes& quotes) {
    if (to == start) return true;
    ++record_;
    return good_ = good_ && record_ <= room_ && found == fields() && !quotes.stray && !quotes.open;
  }
  bool records(const records::Alike& alike) {
    profile::Column unseen;
    for (std::size_t k = 0; k < fields(); ++k) take(k, unseen, alike);
    return end_of(alike);
  }
  // The same, one column after another: each is seen as well.
  void take(std::size_t k, profile::Column& seen, const records::Alike& alike) {
    if (record_ + alike.records() > room_) return;
    take(k, seen, record_, [&](const auto& use) { alike.each(k, use); });
  }
  bool end_of(const records::Alike& alike) {
    record_ += alike.records();
    return good_ = good_ && record_ <= room_;
  }
  // The next records are taken in place of those before; their texts stay numbered.
  void restart() { record_ = 0; }
  // Was every record and value as it should be?
  bool good() const { return good_; }
  std::size_t records() const { return record_; }
  Texts& texts(std::size_t k) { return texts_[k]; }
  // How many texts each column has so far.
  std::vector<std::size_t> text_counts() const {
    std::vector<std::size_t> out;
    for (const Texts& texts : texts_) out.push_back(static_cast<std::size_t>(texts.size()));
    return out;
  }

 private:
  // each(use) shows fields as use(from, to).
  template <typename Each>
  void take(std::size_t k, profile::Column& seen, std::size_t at, const Each& each) {
    const auto values = [&](auto* value, auto blank, auto none, const auto& value_of) {
      each([&](const char* from, const char* to) {
        *value = from < to ? value_of(from, to) : blank;
        if (from < to && none(*value)) {
          seen.see(from, to, decimal_);
          good_ = false;
        }
        ++value;
      });
    };
    if (kinds_[k] == Taken::kText) {
      int* code = targets_[k].codes + at;
      Texts& texts = texts_[k];
      each([&](const char* from, const char* to) {
        if (!seen.settled()) seen.see(from, to, decimal_);
        *code++ = texts.code(from, static_cast<std::size_t>(to - from));
      });
    } else if (kinds_[k] == Taken::kNumber) {
      values(targets_[k].numbers + at, blank_, [](double number) { return std::isnan(number); },
             [&](const char* from, const char* to) {
        const profile::Decimal form = profile::decimal_at(from, to, decimal_);
        if (form.plain) seen.see_decimal(form);
        return profile::number_at(from, form);
      });
    } else if (kinds_[k] == Taken::kDay) {
      values(targets_[k].codes + at, profile::kNoDay, [](int day) { return day == profile::kNoDay; },
             [&](const char* from, const char* to) {
        const int day = profile::day_at(from, static_cast<std::size_t>(to - from));
        if (day != profile::kNoDay) seen.see_day();
        return day;
      });
    }
  }

  char decimal_;
  double blank_;
  std::vector<Taken> kinds_;
  std::vector<Target> targets_;
  std::vector<Texts> texts_;
  std::string plain_;
  std::size_t room_ = 0, record_ = 0;
  bool good_ = true;
};

// What a thread takes of a block while its records are counted, which tells how many there are only in the end.
class Gatherer {
 public:
  Gatherer(char decimal, double blank, const std::vector<Taken>& kinds)
      : codes_(kinds.size()), numbers_(kinds.size()), values_(decimal, blank, kinds) {}

  // For the records of this many more bytes: each takes at least a byte for every field.
  void make_room(std::size_t bytes) {
    const std::size_t n = values_.records() + bytes / std::max<std::size_t>(values_.fields(), 1) + 1;
    std::vector<Target> targets(values_.fields());
    for (std::size_t k = 0; k < targets.size(); ++k) {
      if (values_.kind(k) == Taken::kNot) continue;
      if (values_.kind(k) == Taken::kNumber) {
        numbers_[k].make_room(n);
        targets[k].numbers = numbers_[k].data();
      } else {
        codes_[k].make_room(n);
        targets[k].codes = codes_[k].data();
      }
    }
    values_.set_room(targets, n);
  }
  Values& values() { return values_; }
  const int* codes(std::size_t k) const { return codes_[k].data(); }
  const double* numbers(std::size_t k) const { return numbers_[k].data(); }

 private:
  std::vector<pages::Growing<int>> codes_;
  std::vector<pages::Growing<double>> numbers_;
  Values values_;
};

}  // namespace relay
