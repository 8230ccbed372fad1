#include "io/parquet/encode.hpp"

#include <algorithm>
#include <bit>
#include <vector>

namespace zerobeat::inline v1::detail {

namespace {

/// Appends numbers of `width` bits, the lowest bit first, up to a whole byte.
template <typename T>
void append_packed(std::string& out, std::span<const T> numbers, unsigned width) {
  std::uint64_t held = 0;
  unsigned bits = 0;
  for (const T number : numbers) {
    const auto value = static_cast<std::uint64_t>(number);
    held |= value << bits;
    if (bits + width < 64) {
      bits += width;
    } else {
      append_plain(out, held);
      const unsigned taken = 64 - bits;
      held = taken == 64 ? 0 : taken < width ? value >> taken : 0;
      bits = width - taken;
    }
  }
  for (unsigned written = 0; written < bits; written += 8) {
    out += static_cast<char>(held >> written & 0xff);
  }
}

std::uint64_t zigzag(std::int64_t value) {
  return static_cast<std::uint64_t>(value) << 1 ^ static_cast<std::uint64_t>(value >> 63);
}

}  // namespace

void append_varint(std::string& out, std::uint64_t value) {
  for (; value >= 0x80; value >>= 7) out += static_cast<char>(value | 0x80);
  out += static_cast<char>(value);
}

void append_hybrid(std::string& out, std::span<const std::uint32_t> numbers, unsigned width) {
  if (numbers.empty()) return;
  if (std::ranges::count(numbers, numbers[0]) == static_cast<std::ptrdiff_t>(numbers.size())) {
    append_varint(out, std::uint64_t{numbers.size()} << 1);
    for (unsigned bit = 0; bit < width; bit += 8) out += static_cast<char>(numbers[0] >> bit);
    return;
  }
  const std::size_t groups = (numbers.size() + 7) / 8;
  append_varint(out, std::uint64_t{groups} << 1 | 1);
  const std::size_t begin = out.size();
  append_packed(out, numbers, width);
  out.resize(begin + groups * width);  // the last group is padded
}

void append_deltas(std::string& out, std::span<const std::int64_t> values) {
  constexpr std::size_t block = 128, miniblocks = 4, miniblock = block / miniblocks;
  append_varint(out, block);
  append_varint(out, miniblocks);
  append_varint(out, values.size());
  append_varint(out, values.empty() ? 0 : zigzag(values[0]));
  std::vector<std::uint64_t> deltas;
  for (std::size_t from = 1; from < values.size(); from += block) {
    const std::size_t count = std::min(block, values.size() - from);
    // Differences wrap as the format has it.
    deltas.assign(count, 0);
    std::int64_t least = 0;
    for (std::size_t i = 0; i < count; ++i) {
      deltas[i] = static_cast<std::uint64_t>(values[from + i]) -
                  static_cast<std::uint64_t>(values[from + i - 1]);
      const auto delta = static_cast<std::int64_t>(deltas[i]);
      least = i == 0 ? delta : std::min(least, delta);
    }
    append_varint(out, zigzag(least));
    for (std::uint64_t& delta : deltas) delta -= static_cast<std::uint64_t>(least);
    const std::size_t full = (count + miniblock - 1) / miniblock;
    deltas.resize(full * miniblock);
    unsigned widths[miniblocks]{};
    for (std::size_t i = 0; i < miniblocks; ++i) {
      for (std::size_t j = 0; i < full && j < miniblock; ++j) {
        widths[i] =
            std::max(widths[i], static_cast<unsigned>(std::bit_width(deltas[i * miniblock + j])));
      }
      out += static_cast<char>(widths[i]);
    }
    for (std::size_t i = 0; i < full; ++i) {
      if (widths[i] == 0) continue;
      append_packed(out, std::span<const std::uint64_t>(deltas).subspan(i * miniblock, miniblock),
                    widths[i]);
    }
  }
}

}  // namespace zerobeat::detail
