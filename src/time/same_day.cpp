#include "time/same_day.hpp"

#include <cstring>

#include "base/eight_digits.hpp"
#include "base/four_words.hpp"

namespace zerobeat::inline v1::detail {

bool SameDay::learn(const char* p, std::size_t n, std::int64_t midnight) {
  const bool is_universal = n == 20 || n == 24;
  if (n != 16 && n != 19 && n != 23 && !is_universal) return false;
  if (is_universal && p[n - 1] != 'Z') return false;
  char whole[25] = "0000-00-00T00:00:00.000Z";
  std::memcpy(whole, p, 11);
  std::memset(whole + n, 0, sizeof whole - n);
  if (is_universal) whole[n - 1] = 'Z';
  length_ = n;
  date_ = load8(whole);
  date_and_minutes_ = load8(whole + 8);
  rest_ = load8(whole + 16);
  midnight_ = midnight;
  return true;
}

#ifdef ZEROBEAT_HAS_FOUR_WORDS

bool SameDay::is_available() { return has_four_words(); }

ZEROBEAT_FOUR_WORDS std::size_t SameDay::read(const Texts& texts, std::size_t count,
                                              std::array<std::int64_t, batch>& out) const {
  // The greatest that each byte may be with '0' taken off a digit, and itself off any other.
  constexpr std::uint64_t most_minutes = 0x0905'0009'0900'0000;  // [..T]hh:mm, the first lowest
  constexpr std::uint64_t most_rest = 0x0009'0909'0009'0500;     // :ss.fffZ
  // What a digit counts: within its pair of bytes, and its pair among two.
  const __m256i digits_minutes = four_times(0x010a'0001'0a00'0000);
  const __m256i pairs_minutes = _mm256_set1_epi64x(0x003c'0e10'0e10'0000);  // 60, 3600, 3600, 0
  const __m256i digits_rest = four_times(0x0001'0a64'0001'0a00);
  const __m256i pairs_rest = _mm256_set1_epi64x(0x0001'0001'03e8'03e8);  // 1, 1, 1000, 1000
  const __m256i low_half = four_times(0xffff'ffff);
  const auto halves = [&](__m256i sums) ZEROBEAT_FOUR_WORDS {
    return _mm256_add_epi64(_mm256_and_si256(sums, low_half), _mm256_srli_epi64(sums, 32));
  };
  // The last word is taken from where the text ends, so that nothing after it is looked at.
  const auto last = static_cast<std::ptrdiff_t>(length_) - 8;
  const __m128i shift = _mm_cvtsi64_si128(static_cast<long long>(8 * (24 - length_)));

  for (std::size_t i = 0; i < count; i += 4) {
    const char* const* const at = texts.data() + i;
    const __m256i minutes = _mm256_xor_si256(four_words(at, 8), four_times(date_and_minutes_));
    const __m256i rest =
        _mm256_xor_si256(_mm256_srl_epi64(four_words(at, last), shift), four_times(rest_));
    __m256i bad = _mm256_xor_si256(four_words(at, 0), four_times(date_));
    bad = _mm256_or_si256(bad, _mm256_subs_epu8(minutes, four_times(most_minutes)));
    bad = _mm256_or_si256(bad, _mm256_subs_epu8(rest, four_times(most_rest)));

    const __m256i seconds_to_minute =
        halves(_mm256_madd_epi16(_mm256_maddubs_epi16(minutes, digits_minutes), pairs_minutes));
    const __m256i milliseconds =
        halves(_mm256_madd_epi16(_mm256_maddubs_epi16(rest, digits_rest), pairs_rest));
    bad = _mm256_or_si256(bad, _mm256_cmpgt_epi64(seconds_to_minute, four_times(86'399)));

    const __m256i of_day =
        _mm256_add_epi64(_mm256_mul_epu32(seconds_to_minute, four_times(1'000)), milliseconds);
    const __m256i instants =
        _mm256_add_epi64(_mm256_mul_epu32(of_day, four_times(1'000'000)),
                         _mm256_set1_epi64x(static_cast<long long>(midnight_)));
    _mm256_storeu_si256(reinterpret_cast<__m256i*>(out.data() + i), instants);
    const std::size_t good = zero_words(bad);
    if (good < 4) return i + good < count ? i + good : count;
  }
  return count;
}

#else

bool SameDay::is_available() { return false; }

std::size_t SameDay::read(const Texts&, std::size_t, std::array<std::int64_t, batch>&) const {
  return 0;
}

#endif

}  // namespace zerobeat::detail
