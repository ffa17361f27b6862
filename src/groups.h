// Groups of lines, numbered from 1 in the order of their first appearance.
#pragma once
#include <algorithm>
#include <cstdint>
#include <vector>

#include "dealt.h"
#include "keys.h"
#include "memory.h"
#include "threads.h"

namespace tally {

// The number of each group in the key space, and its first line (from 1).
struct Appeared {
  std::vector<uint64_t> numbers;
  std::vector<int> first;
};

// In a large space: the groups of each part by hashing, then their codes in the order of lines.
template <typename Pause>
Appeared number_sparse(const KeySpace& space, std::size_t lines, int count, int* out, Pause pause) {
  pages::Zeros<int> codes(lines);
  int* code = codes.get();  // of a group at its first line, 0 elsewhere
  {
    const Dealt dealt(space, lines, count, pause);
    dealt.each_part(count, [&](int t, const Dealt::Part& part) {
      Slots slots(part.n);
      std::vector<int> first;
      for (std::size_t i = 0; i < part.n; ++i) {
        const uint32_t slot = slots.find(part.number[i]);
        if (slot == first.size()) {
          first.push_back(static_cast<int>(part.line[i]));
          code[part.line[i]] = 1;
        }
        out[part.line[i]] = first[slot];
      }
      if (t == 0) pause();
    });
  }
  std::vector<std::size_t> before(count + 1, 0);
  threads::each_range(lines, count, [&](std::size_t from, std::size_t to, int t) {
    before[t + 1] = std::count(code + from, code + to, 1);
  });
  for (int t = 0; t < count; ++t) before[t + 1] += before[t];
  Appeared groups{std::vector<uint64_t>(before[count]), std::vector<int>(before[count])};
  threads::each_range(lines, count, [&](std::size_t from, std::size_t to, int t) {
    std::size_t at = before[t];
    std::vector<uint64_t> number(kBlock);
    for (; from < to; from += kBlock) {
      const std::size_t n = std::min(kBlock, to - from);
      space.encode(from, n, number.data());
      for (std::size_t i = 0; i < n; ++i) {
        if (code[from + i] == 0) continue;
        groups.numbers[at] = number[i];
        groups.first[at] = static_cast<int>(from + i) + 1;
        code[from + i] = static_cast<int>(++at);
      }
    }
  });
  threads::each_range(lines, count, [&](std::size_t from, std::size_t to, int) {
    for (std::size_t i = from; i < to; ++i) out[i] = code[out[i]];
  });
  return groups;
}

// Numbers the groups of lines: arrays over a small space, by threads, and hashing otherwise.
template <typename Pause>
Appeared number_groups(const KeySpace& space, std::size_t lines, int wanted, int* out, Pause pause) {
  const int count = threads::useful(lines, wanted);
  if (space.size() >= uint64_t{1} << 22) return number_sparse(space, lines, count, out, pause);
  // Each thread finds the groups of its lines; those of the first lines come first.
  Appeared groups;
  std::vector<Appeared> seen(count);
  std::vector<std::vector<char>> marks(count, std::vector<char>(space.size(), 0));
  auto each_block = [&](auto work) {
    threads::each_range(lines, count, [&](std::size_t from, std::size_t to, int t) {
      std::vector<uint32_t> own(kBlock);
      for (; from < to; from += kBlock) {
        const std::size_t n = std::min(kBlock, to - from);
        space.encode(from, n, own.data());
        work(t, from, n, own.data());
      }
    });
  };
  each_block([&](int t, std::size_t from, std::size_t n, const uint32_t* number) {
    char* const mine = marks[t].data();
    for (std::size_t i = 0; i < n; ++i) {
      if (mine[number[i]]) continue;
      mine[number[i]] = 1;
      seen[t].numbers.push_back(number[i]);
      seen[t].first.push_back(static_cast<int>(from + i) + 1);
    }
  });
  std::vector<int> slot_of(space.size(), 0);
  for (const Appeared& of_thread : seen) {
    for (std::size_t k = 0; k < of_thread.numbers.size(); ++k) {
      int& slot = slot_of[of_thread.numbers[k]];
      if (slot > 0) continue;
      groups.numbers.push_back(of_thread.numbers[k]);
      groups.first.push_back(of_thread.first[k]);
      slot = static_cast<int>(groups.numbers.size());
    }
  }
  pause();
  each_block([&](int, std::size_t from, std::size_t n, const uint32_t* number) {
    for (std::size_t i = 0; i < n; ++i) out[from + i] = slot_of[number[i]];
  });
  return groups;
}

}  // namespace tally
