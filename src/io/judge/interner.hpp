/// Texts numbered in order of first appearance.

#pragma once

#include <array>
#include <cstdint>
#include <cstring>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/buffer.hpp>
#include <zerobeat/base/export.hpp>

#include "base/wide.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// A text's first eight bytes as a number; of a shorter one, with its length, all that it is.
inline std::uint64_t start_of(std::string_view text) {
  const char* p = text.data();
  const std::size_t n = text.size();
  std::uint64_t start = 0;
  if (n >= 8) {
    std::memcpy(&start, p, 8);
  } else if (n >= 4) {
    std::uint32_t first, last;  // they overlap where there are fewer than eight
    std::memcpy(&first, p, 4);
    std::memcpy(&last, p + n - 4, 4);
    start = first | static_cast<std::uint64_t>(last) << 32;
  } else if (n > 0) {
    const auto byte = [&](std::size_t i) {
      return static_cast<std::uint64_t>(static_cast<unsigned char>(p[i]));
    };
    start = byte(0) | byte(n / 2) << 8 | byte(n - 1) << 16;
  }
  return start;
}

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
  mix(start_of({p, n}));
  return hash;
}

/// Gives each distinct text a number from 0. `Text` is std::string to own the texts, or
/// std::string_view where they outlive the interner.
///
/// A slot holds a text of up to eight bytes whole, so that finding it again looks at no other
/// memory: with thousands of keys, that is what looking them up costs.
template <typename Text>
class Interner {
 public:
  std::int32_t number_of(std::string_view text) {
    // Texts often come in runs.
    if (last_ >= 0 && text.size() == last_size_ && start_of(text) == last_start_ &&
        (text.size() <= inline_bytes || texts_[static_cast<std::size_t>(last_)] == text)) {
      return last_;
    }
    last_size_ = text.size();
    last_start_ = start_of(text);
    return last_ = number_of(text, hash_of(text));
  }

  /// The same, with hash_of(text) at hand.
  std::int32_t number_of(std::string_view text, std::uint64_t hash) {
    if (2 * (texts_.size() + 1) > slots_.size()) grow();
    const std::size_t mask = slots_.size() - 1;
    const Slot wanted = slot_of(text, hash);
    std::size_t at = hash & mask;
    while (slots_[at].number >= 0) {
      const Slot& slot = slots_[at];
      if (slot.start == wanted.start && slot.tag == wanted.tag &&
          (text.size() <= inline_bytes || texts_[static_cast<std::size_t>(slot.number)] == text)) {
        return slot.number;
      }
      at = (at + 1) & mask;
    }
    slots_[at] = wanted;
    slots_[at].number = static_cast<std::int32_t>(texts_.size());
    texts_.emplace_back(text);
    return slots_[at].number;
  }

  /// Asks for the memory that number_of() with this hash will look at.
  void prefetch(std::uint64_t hash) const {
    if (!slots_.empty()) __builtin_prefetch(&slots_[hash & (slots_.size() - 1)]);
  }

  /// Room stays for as many as there were, or nearly: the next texts are often as many.
  void clear() {
    const bool many = 8 * texts_.size() > slots_.size();
    slots_.assign(many ? slots_.size() : 0, Slot{});
    texts_.clear();
    last_ = -1;
  }

  const std::vector<Text>& texts() const { return texts_; }
  std::vector<Text> take_texts() { return std::move(texts_); }

 private:
  static constexpr std::size_t inline_bytes = 8;

  struct Slot {
    std::uint64_t start = 0;  ///< the first bytes of the text
    std::uint32_t tag = 0;    ///< its length, or that it is long, and some of its hash
    std::int32_t number = -1;
  };

  static Slot slot_of(std::string_view text, std::uint64_t hash) {
    Slot slot;
    slot.start = start_of(text);
    const std::size_t length = text.size() < 15 ? text.size() : 15;
    slot.tag = static_cast<std::uint32_t>(hash >> 36) << 4 | static_cast<std::uint32_t>(length);
    return slot;
  }

  void grow() {
    slots_.assign(slots_.empty() ? 64 : slots_.size() * 2, Slot{});
    const std::size_t mask = slots_.size() - 1;
    for (std::size_t i = 0; i < texts_.size(); ++i) {
      const std::uint64_t hash = hash_of(texts_[i]);
      std::size_t at = hash & mask;
      while (slots_[at].number >= 0) at = (at + 1) & mask;
      slots_[at] = slot_of(texts_[i], hash);
      slots_[at].number = static_cast<std::int32_t>(i);
    }
  }

  std::vector<Text> texts_;
  std::vector<Slot> slots_;
  std::int32_t last_ = -1;
  std::size_t last_size_ = 0;
  std::uint64_t last_start_ = 0;
};

/// Numbers of texts that come again from the same places in memory, as those of a dictionary do:
/// they are known by their place. For as long as the places hold the same texts.
template <typename Text>
class PlacedTexts {
 public:
  explicit PlacedTexts(Interner<Text>& texts) : texts_(texts) {}

  std::int32_t number_of(std::string_view text) {
    const auto place = reinterpret_cast<std::uintptr_t>(text.data());
    Slot& slot = slots_[(place * 0x9e3779b97f4a7c15U) >> 56];
    if (slot.data != text.data() || slot.size != text.size()) {
      slot = {text.data(), text.size(), texts_.number_of(text)};
    }
    return slot.number;
  }

 private:
  struct Slot {
    const char* data = nullptr;
    std::size_t size = 0;
    std::int32_t number = 0;
  };

  Interner<Text>& texts_;
  std::array<Slot, 256> slots_{};
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
