// 512-bit vectors slow the clock of many machines for everything that comes after the scan:
// measured, the whole of reading took a sixth less time without them.
#define HWY_DISABLED_TARGETS (HWY_AVX3 | HWY_AVX3_DL | HWY_SSE4 | HWY_SSSE3)

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "io/text/scan.cpp"
#include "io/text/scan.hpp"

#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <cstring>

HWY_BEFORE_NAMESPACE();
namespace zerobeat::inline v1::detail {
namespace HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

/// One bit for each of 64 bytes that the test is true of.
template <class Test>
HWY_INLINE std::uint64_t bits_of_64(const std::uint8_t* p, Test test) {
  const hn::CappedTag<std::uint8_t, 64> d;
  constexpr std::size_t lanes = hn::MaxLanes(d);
  std::uint64_t bits = 0;
  for (std::size_t i = 0; i < 64; i += lanes) {
    std::uint8_t packed[8] = {};
    hn::StoreMaskBits(d, test(hn::LoadU(d, p + i)), packed);
    std::uint64_t part = 0;
    std::memcpy(&part, packed, 8);
    bits |= part << i;
  }
  return bits;
}

void scan_blocks(const char* text, std::size_t blocks, char delimiter, char quote, Scan& scan) {
  const hn::CappedTag<std::uint8_t, 64> d;
  const auto delimiters = hn::Set(d, static_cast<std::uint8_t>(delimiter));
  const auto newlines = hn::Set(d, static_cast<std::uint8_t>('\n'));
  const auto quotes = hn::Set(d, static_cast<std::uint8_t>(quote));
  const auto high_bit = hn::Set(d, std::uint8_t{0x80});
  const auto returns = hn::Set(d, static_cast<std::uint8_t>('\r'));
  auto any_quote = hn::Zero(d);
  auto any_high = hn::Zero(d);
  auto any_return = hn::Zero(d);
  std::uint32_t* const first = scan.room();
  std::uint32_t* out = first;
  std::size_t newline_count = 0;

  for (std::size_t block = 0; block < blocks; ++block) {
    const auto* p = reinterpret_cast<const std::uint8_t*>(text) + 64 * block;
    // Pages of a file lie anywhere in memory: nobody else looks ahead past the end of one.
    constexpr std::size_t ahead = 1024;
    __builtin_prefetch(p + ahead);
    const std::uint64_t lines = bits_of_64(p, [&](auto bytes) HWY_ATTR {
      any_quote = hn::Or(any_quote, hn::VecFromMask(d, hn::Eq(bytes, quotes)));
      any_return = hn::Or(any_return, hn::VecFromMask(d, hn::Eq(bytes, returns)));
      any_high = hn::Or(any_high, bytes);
      return hn::Eq(bytes, newlines);
    });
    std::uint64_t bits =
        lines | bits_of_64(p, [&](auto bytes) HWY_ATTR { return hn::Eq(bytes, delimiters); });
    const auto base = static_cast<std::uint32_t>(64 * block);
    const auto found = static_cast<unsigned>(__builtin_popcountll(bits));
    newline_count += static_cast<std::size_t>(__builtin_popcountll(lines));
    // Eight at a time, whether there are so many or not: cheaper than a branch for each.
    for (unsigned done = 0; done < found; done += 8) {
      for (unsigned i = 0; i < 8; ++i) {
        out[done + i] = base + static_cast<std::uint32_t>(__builtin_ctzll(bits | (1ULL << 63)));
        bits &= bits - 1;
      }
    }
    out += found;
  }
  scan.added(static_cast<std::size_t>(out - first), newline_count);
  scan.has_quote |= quote != '\0' && !hn::AllFalse(d, hn::MaskFromVec(any_quote));
  scan.has_return |= !hn::AllFalse(d, hn::MaskFromVec(any_return));
  scan.has_high |= !hn::AllFalse(d, hn::Eq(hn::And(any_high, high_bit), high_bit));
}

}  // namespace HWY_NAMESPACE
}  // namespace zerobeat::detail
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace zerobeat::inline v1::detail {

namespace {

// Chosen here: Highway's own table wants its library, which takes 5 ms of each start of a program
// to measure a clock.
auto* best_scan_blocks() {
#if HWY_TARGETS & HWY_AVX2
  if (__builtin_cpu_supports("avx2") && __builtin_cpu_supports("bmi") &&
      __builtin_cpu_supports("bmi2") && __builtin_cpu_supports("fma")) {
    return &N_AVX2::scan_blocks;
  }
#endif
  return &HWY_STATIC_DISPATCH(scan_blocks);
}

}  // namespace

void Scan::begin(std::size_t most) {
  marks_.clear();
  marks_.reserve(most + 1);
  marks_.push_back(static_cast<std::uint32_t>(-1));
  lines_ = 0;
  has_quote = has_high = has_return = false;
}

namespace {

/// Adds what stands in `part`, so many bytes into the text.
void scan_plainly(std::string_view part, std::size_t before, char delimiter, char quote,
                  Scan& scan) {
  for (std::size_t i = 0; i < part.size(); ++i) {
    const char c = part[i];
    if (c == delimiter || c == '\n') scan.add(before + i, c == '\n');
    scan.has_quote |= quote != '\0' && c == quote;
    scan.has_return |= c == '\r';
    scan.has_high |= (static_cast<unsigned char>(c) & 0x80) != 0;
  }
}

}  // namespace

void scan_text_plain(std::string_view text, char delimiter, char quote, Scan& scan) {
  scan.begin(0);
  scan_plainly(text, 0, delimiter, quote, scan);
}

void scan_text(std::string_view text, char delimiter, char quote, Scan& scan) {
  // Room for a place at every byte, of which only what is written takes memory, and for the
  // places past the last one that the block loop writes.
  scan.begin(text.size() + 64);
  const std::size_t blocks = text.size() / 64;
  static const auto scan_blocks = best_scan_blocks();
  scan_blocks(text.data(), blocks, delimiter, quote, scan);
  scan_plainly(text.substr(64 * blocks), 64 * blocks, delimiter, quote, scan);
}

}  // namespace zerobeat::detail
#endif
