// What hashes are made with: another number in each process, so that nobody can choose texts or numbers that meet in
// one place. Nothing that is returned depends on it.
#pragma once
#include <cstdint>
#include <random>

namespace seed {

// An odd number, for multiplying.
inline std::uint64_t odd() {
  static const std::uint64_t number = [] {
    std::random_device device;
    return (static_cast<std::uint64_t>(device()) << 32 | device()) | 1;
  }();
  return number;
}

}  // namespace seed
