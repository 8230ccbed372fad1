/// Runs and packed bits: how levels, places in dictionaries, booleans and deltas are written.

#pragma once

#include <algorithm>
#include <cstdint>
#include <span>
#include <string_view>
#include <zerobeat/base/export.hpp>

#include "io/parquet/words.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Unpacks `out.size()` numbers of `width` bits, the lowest bit first, that begin at bit `from` of
/// `bytes`, which has to hold them.
template <typename T>
void unpack_bits(std::string_view bytes, std::uint64_t from, unsigned width, std::span<T> out) {
  if (width == 0) {
    std::ranges::fill(out, T{0});
    return;
  }
  const std::uint64_t mask = width == 64 ? ~std::uint64_t{0} : (std::uint64_t{1} << width) - 1;
  std::uint64_t bit = from;
  for (T& value : out) {
    const std::size_t at = bit / 8;
    const auto shift = static_cast<unsigned>(bit % 8);
    std::uint64_t word = 0;
    if (at + 8 <= bytes.size()) {
      word = little_endian<std::uint64_t>(bytes.data() + at);
    } else {
      std::memcpy(&word, bytes.data() + at, bytes.size() - at);
    }
    word >>= shift;
    // Of a number that reaches into a ninth byte.
    if (shift + width > 64) {
      word |= std::uint64_t{static_cast<unsigned char>(bytes[at + 8])} << (64 - shift);
    }
    value = static_cast<T>(word & mask);
    bit += width;
  }
}

/// Numbers in runs of one value and in groups of eight that are packed (the format's RLE and
/// bit-packing hybrid), a few at a time.
class HybridRuns {
 public:
  HybridRuns() = default;
  HybridRuns(std::string_view bytes, unsigned width) : bytes_(bytes), width_(width) {
    if (width > 32) throw DamagedPage("numbers of more than 32 bits");
  }

  /// The next numbers. Throws DamagedPage when there are fewer.
  void next(std::span<std::uint32_t> out) {
    while (!out.empty()) {
      if (left_ == 0) begin_run();
      const auto count = static_cast<std::size_t>(std::min<std::uint64_t>(left_, out.size()));
      if (packed_) {
        unpack_bits(run_, taken_ * width_, width_, out.first(count));
        taken_ += count;
      } else {
        std::ranges::fill(out.first(count), value_);
      }
      left_ -= count;
      out = out.subspan(count);
    }
  }

  /// When the next `count` numbers are all `value` by one run, passes them over and returns true.
  bool pass_over(std::uint32_t value, std::size_t count) {
    if (left_ == 0) begin_run();
    if (packed_ || value_ != value || left_ < count) return false;
    left_ -= count;
    return true;
  }

 private:
  void begin_run() {
    const std::uint64_t head = take_varint(bytes_);
    packed_ = (head & 1) != 0;
    left_ = head >> 1;
    if (left_ == 0) throw DamagedPage("a run of nothing");
    if (!packed_) {
      value_ = 0;
      const std::string_view value = take_front(bytes_, (width_ + 7) / 8);
      std::memcpy(&value_, value.data(), value.size());
      return;
    }
    // The last group may be cut where its numbers end.
    if (left_ > bytes_.size() + 1 && width_ > 0) throw DamagedPage("it ends too early");
    const std::uint64_t groups = left_;
    run_ = take_front(
        bytes_, static_cast<std::size_t>(std::min<std::uint64_t>(groups * width_, bytes_.size())));
    left_ =
        width_ == 0 ? groups * 8 : std::min<std::uint64_t>(groups * 8, run_.size() * 8 / width_);
    taken_ = 0;
    if (left_ == 0) throw DamagedPage("it ends too early");
  }

  std::string_view bytes_{}, run_{};
  unsigned width_ = 0;
  bool packed_ = false;
  std::uint32_t value_ = 0;
  std::uint64_t left_ = 0, taken_ = 0;
};

/// Whole numbers as differences in blocks of packed bits (DELTA_BINARY_PACKED), a few at a time.
class DeltaRuns {
 public:
  DeltaRuns() = default;
  explicit DeltaRuns(std::string_view bytes) : bytes_(bytes) {
    block_ = take_varint(bytes_);
    miniblocks_ = take_varint(bytes_);
    count_ = left_ = take_varint(bytes_);
    value_ = static_cast<std::uint64_t>(take_zigzag(bytes_));
    constexpr std::uint64_t most = std::uint64_t{1} << 20;  // of a block
    if (miniblocks_ == 0 || block_ == 0 || block_ > most || block_ % miniblocks_ != 0 ||
        block_ / miniblocks_ % 8 != 0) {
      throw DamagedPage("its blocks of differences are of an odd size");
    }
  }

  /// How many there are in all.
  std::uint64_t count() const { return count_; }

  /// The next numbers. Throws DamagedPage when there are fewer.
  void next(std::span<std::uint64_t> out) {
    if (out.size() > left_) throw DamagedPage("it has too few values");
    for (std::size_t i = 0; i < out.size();) {
      if (left_ == count_) {  // the first stands in the head
        out[i++] = value_;
        --left_;
        continue;
      }
      if (in_miniblock_ == 0) begin_miniblock();
      const std::size_t count = std::min<std::size_t>(in_miniblock_, out.size() - i);
      unpack_bits(run_, taken_ * width_, width_, out.subspan(i, count));
      for (std::size_t end = i + count; i < end; ++i) out[i] = value_ += out[i] + least_;
      taken_ += count;
      in_miniblock_ -= count;
      left_ -= count;
    }
  }

  /// Passes over all that are left, and returns the bytes after them.
  std::string_view rest() {
    std::uint64_t some[256];
    while (left_ > 0) next(std::span(some).first(std::min<std::uint64_t>(left_, std::size(some))));
    return bytes_;
  }

 private:
  void begin_miniblock() {
    if (miniblocks_left_ == 0) {
      least_ = static_cast<std::uint64_t>(take_zigzag(bytes_));
      widths_ = take_front(bytes_, static_cast<std::size_t>(miniblocks_));
      miniblocks_left_ = miniblocks_;
    }
    width_ = static_cast<unsigned char>(
        widths_[static_cast<std::size_t>(miniblocks_ - miniblocks_left_)]);
    if (width_ > 64) throw DamagedPage("differences of more than 64 bits");
    --miniblocks_left_;
    const std::uint64_t size = block_ / miniblocks_;
    // The last one may be cut where its values end.
    const std::uint64_t needed = std::min(size, left_);
    const auto least_bytes = static_cast<std::size_t>((needed * width_ + 7) / 8);
    const auto all_bytes = static_cast<std::size_t>(size * width_ / 8);
    run_ = take_front(bytes_, std::max(least_bytes, std::min(all_bytes, bytes_.size())));
    taken_ = 0;
    in_miniblock_ = size;
  }

  std::string_view bytes_{}, run_{}, widths_{};
  std::uint64_t block_ = 0, miniblocks_ = 0, miniblocks_left_ = 0, in_miniblock_ = 0;
  std::uint64_t count_ = 0, left_ = 0, taken_ = 0;
  std::uint64_t value_ = 0, least_ = 0;
  unsigned width_ = 0;
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
