/// Texts numbered in order of first appearance.

#pragma once

#include <cstdint>
#include <cstring>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/table/buffer.hpp>

#include "base/wide.hpp"

namespace zerobeat::detail {

inline std::uint64_t hash_of(std::string_view text) {
  constexpr std::uint64_t factor = 0x9e3779b97f4a7c15ULL;
  std::uint64_t hash = text.size() * factor;
  const char* p = text.data();
  std::size_t n = text.size();
  const auto mix = [&](std::uint64_t word) {
    const auto wide = static_cast<WideUnsigned>(hash ^ word) * factor;
    hash = static_cast<std::uint64_t>(wide) ^ static_cast<std::uint64_t>(wide >> 64);
  };
  for (; n >= 8; p += 8, n -= 8) {
    std::uint64_t word;
    std::memcpy(&word, p, 8);
    mix(word);
  }
  std::uint64_t word = 0;
  std::memcpy(&word, p, n);
  mix(word);
  return hash;
}

/// Gives each distinct text a number from 0. `Text` is std::string to own the texts, or
/// std::string_view where they outlive the interner.
template <typename Text>
class Interner {
 public:
  std::int32_t number_of(std::string_view text) {
    if (last_ >= 0 && texts_[static_cast<std::size_t>(last_)] == text) return last_;
    if (2 * (texts_.size() + 1) > slots_.size()) grow();
    const std::uint64_t hash = hash_of(text);
    const std::size_t mask = slots_.size() - 1;
    std::size_t at = hash & mask;
    while (slots_[at].number >= 0) {
      if (slots_[at].hash == hash && texts_[static_cast<std::size_t>(slots_[at].number)] == text) {
        return last_ = slots_[at].number;
      }
      at = (at + 1) & mask;
    }
    last_ = static_cast<std::int32_t>(texts_.size());
    slots_[at] = {hash, last_};
    texts_.emplace_back(text);
    return last_;
  }

  void clear() {
    texts_.clear();
    slots_.clear();
    last_ = -1;
  }

  const std::vector<Text>& texts() const { return texts_; }
  std::vector<Text> take_texts() { return std::move(texts_); }

 private:
  struct Slot {
    std::uint64_t hash = 0;
    std::int32_t number = -1;
  };

  void grow() {
    std::vector<Slot> old = std::move(slots_);
    slots_.assign(old.empty() ? 64 : old.size() * 2, Slot{});
    for (const Slot& slot : old) {
      if (slot.number < 0) continue;
      std::size_t at = slot.hash & (slots_.size() - 1);
      while (slots_[at].number >= 0) at = (at + 1) & (slots_.size() - 1);
      slots_[at] = slot;
    }
  }

  std::vector<Text> texts_;
  std::vector<Slot> slots_;
  std::int32_t last_ = -1;
};

}  // namespace zerobeat::detail
