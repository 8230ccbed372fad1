/// Vectors of four words of eight bytes, for machines that have them (AVX2).

#pragma once

#if defined(__x86_64__) && defined(__GNUC__)
#define ZEROBEAT_HAS_FOUR_WORDS 1

#include <immintrin.h>

#include <cstddef>
#include <cstdint>
#include <zerobeat/base/export.hpp>

#include "base/eight_digits.hpp"

/// What a function that uses them is declared with. It may be called where has_four_words().
#define ZEROBEAT_FOUR_WORDS __attribute__((target("avx2")))

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

inline bool has_four_words() {
  static const bool has = __builtin_cpu_supports("avx2") != 0;
  return has;
}

/// The eight bytes `offset` after each of four places.
ZEROBEAT_FOUR_WORDS inline __m256i four_words(const char* const* at, std::ptrdiff_t offset) {
  return _mm256_set_epi64x(
      static_cast<long long>(load8(at[3] + offset)), static_cast<long long>(load8(at[2] + offset)),
      static_cast<long long>(load8(at[1] + offset)), static_cast<long long>(load8(at[0] + offset)));
}

ZEROBEAT_FOUR_WORDS inline __m256i four_times(std::uint64_t word) {
  return _mm256_set1_epi64x(static_cast<long long>(word));
}

/// How many of four words, from the first on, are zero.
ZEROBEAT_FOUR_WORDS inline std::size_t zero_words(__m256i words) {
  const __m256i zero = _mm256_cmpeq_epi64(words, _mm256_setzero_si256());
  const auto good = static_cast<unsigned>(_mm256_movemask_pd(_mm256_castsi256_pd(zero)));
  return static_cast<std::size_t>(__builtin_ctz(~good | 0x10U));
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat

#endif
