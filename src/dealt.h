// Lines dealt out by the hashes of their groups into parts: each group is in one part, and the groups of a part stay in
// the near caches.
#pragma once
#include <atomic>
#include <cstdint>
#include <vector>

#include "keys.h"
#include "memory.h"
#include "threads.h"

namespace tally {

class Dealt {
 public:
  // The lines of a part, in their order, with the number of each one's group.
  struct Part {
    const uint64_t* number;
    const uint32_t* line;
    std::size_t n;
  };

  template <typename Pause>
  Dealt(const KeySpace& space, std::size_t lines, int count, Pause pause) : numbers_(lines), lines_(lines) {
    while (bits_ < kMostBits && (lines >> bits_) > kLines) ++bits_;
    const std::size_t parts = std::size_t{1} << bits_;
    auto each_line = [&](std::size_t from, std::size_t end, int t, const threads::Failure& failure, auto work) {
      std::vector<uint64_t> number(kBlock);
      std::size_t blocks = 0;
      for (; from < end && !failure.seen(); from += kBlock) {
        const std::size_t n = std::min(kBlock, end - from);
        space.encode(from, n, number.data());
        for (std::size_t i = 0; i < n; ++i) work(part_of(number[i]), number[i], from + i);
        if (t == 0 && ++blocks % 64 == 0) pause();
      }
    };
    uint64_t* const held = numbers_.get();
    uint32_t* const lines_held = lines_.get();
    starts_ = threads::deal(parts, lines, count, each_line, [=](std::size_t at, uint64_t number, std::size_t line) {
      held[at] = number;
      lines_held[at] = static_cast<uint32_t>(line);
    });
  }

  std::size_t parts() const { return starts_.size() - 1; }
  Part part(std::size_t p) const {
    return {numbers_.get() + starts_[p], lines_.get() + starts_[p], starts_[p + 1] - starts_[p]};
  }

  // work(thread, part) for each part that has lines, as threads become free.
  template <typename Work>
  void each_part(int count, Work work) const {
    threads::in_turn(static_cast<int>(parts()), count, [&](int p, int t) {
      if (part(p).n > 0) work(t, part(p));
    });
  }

 private:
  static constexpr std::size_t kLines = std::size_t{1} << 15;
  static constexpr int kMostBits = 10;

  std::size_t part_of(uint64_t number) const { return bits_ == 0 ? 0 : (number * 0x9E3779B97F4A7C15u) >> (64 - bits_); }

  int bits_ = 0;
  std::vector<std::size_t> starts_;
  pages::Zeros<uint64_t> numbers_;
  pages::Zeros<uint32_t> lines_;
};

}  // namespace tally
