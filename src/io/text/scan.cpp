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
  auto any_quote = hn::Zero(d);
  auto any_high = hn::Zero(d);
  std::uint32_t* const first = scan.places.data();
  std::uint32_t* out = first;
  std::uint32_t* ends = scan.ends.data();

  for (std::size_t block = 0; block < blocks; ++block) {
    const auto* p = reinterpret_cast<const std::uint8_t*>(text) + 64 * block;
    std::uint64_t lines = bits_of_64(p, [&](auto bytes) HWY_ATTR {
      any_quote = hn::Or(any_quote, hn::VecFromMask(d, hn::Eq(bytes, quotes)));
      any_high = hn::Or(any_high, bytes);
      return hn::Eq(bytes, newlines);
    });
    std::uint64_t bits =
        lines | bits_of_64(p, [&](auto bytes) HWY_ATTR { return hn::Eq(bytes, delimiters); });
    const auto base = static_cast<std::uint32_t>(64 * block);
    const auto found = static_cast<unsigned>(__builtin_popcountll(bits));
    // A newline's place is told by how many of the places stand before it.
    for (; lines != 0; lines &= lines - 1) {
      const std::uint64_t before = bits & (lines ^ (lines - 1)) & ~(lines & (~lines + 1));
      *ends++ = static_cast<std::uint32_t>(out - first) +
                static_cast<std::uint32_t>(__builtin_popcountll(before));
    }
    // Eight at a time, whether there are so many or not: cheaper than a branch for each.
    for (unsigned done = 0; done < found; done += 8) {
      for (unsigned i = 0; i < 8; ++i) {
        out[done + i] = base + static_cast<std::uint32_t>(__builtin_ctzll(bits | (1ULL << 63)));
        bits &= bits - 1;
      }
    }
    out += found;
  }
  scan.places.resize(static_cast<std::size_t>(out - first));
  scan.ends.resize(static_cast<std::size_t>(ends - scan.ends.data()));
  scan.has_quote |= quote != '\0' && !hn::AllFalse(d, hn::MaskFromVec(any_quote));
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

void scan_text_plain(std::string_view text, char delimiter, char quote, Scan& scan) {
  scan.places.clear();
  scan.ends.clear();
  scan.has_quote = scan.has_high = false;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (c == '\n') scan.ends.push_back(static_cast<std::uint32_t>(scan.places.size()));
    if (c == delimiter || c == '\n') scan.places.push_back(static_cast<std::uint32_t>(i));
    if (c == quote && quote != '\0') scan.has_quote = true;
    if ((static_cast<unsigned char>(c) & 0x80) != 0) scan.has_high = true;
  }
}

void scan_text(std::string_view text, char delimiter, char quote, Scan& scan) {
  scan.places.clear();
  scan.ends.clear();
  scan.has_quote = scan.has_high = false;
  // Room for a place at every byte, of which only what is written takes memory, and for the
  // places past the last one that the block loop writes.
  scan.places.reserve(text.size() + 64);
  scan.ends.reserve(text.size() + 64);
  const std::size_t blocks = text.size() / 64;
  static const auto scan_blocks = best_scan_blocks();
  scan_blocks(text.data(), blocks, delimiter, quote, scan);

  char tail[64];
  const std::size_t rest = text.size() - 64 * blocks;
  std::memcpy(tail, text.data() + 64 * blocks, rest);
  for (std::size_t i = 0; i < rest; ++i) {
    if (tail[i] == '\n') scan.ends.push_back(static_cast<std::uint32_t>(scan.places.size()));
    if (tail[i] == delimiter || tail[i] == '\n') {
      scan.places.push_back(static_cast<std::uint32_t>(64 * blocks + i));
    }
    if (quote != '\0' && tail[i] == quote) scan.has_quote = true;
    if ((static_cast<unsigned char>(tail[i]) & 0x80) != 0) scan.has_high = true;
  }
}

}  // namespace zerobeat::detail
#endif
