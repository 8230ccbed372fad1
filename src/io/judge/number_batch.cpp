#include "io/judge/number_batch.hpp"

#include "base/four_words.hpp"

namespace zerobeat::inline v1::detail {

void NumberBatch::round_up() {
  for (std::size_t k = count_; k % 4 != 0; ++k) {
    before_end_[k] = before_end_[count_ - 1];
    own_[k] = own_[count_ - 1];
    negative_[k] = negative_[count_ - 1];
  }
}

#ifdef ZEROBEAT_HAS_FOUR_WORDS

bool NumberBatch::is_available() { return has_four_words(); }

namespace {

ZEROBEAT_FOUR_WORDS inline __m256i load(const std::uint64_t* at) {
  return _mm256_loadu_si256(reinterpret_cast<const __m256i*>(at));
}

/// Eight digits of each word, the first in the lowest byte, as a number; what is no digit gets into
/// `bad`.
ZEROBEAT_FOUR_WORDS inline __m256i eight_digits_each(__m256i digits, __m256i& bad) {
  bad = _mm256_or_si256(bad, _mm256_subs_epu8(digits, _mm256_set1_epi8(9)));
  const __m256i pairs = _mm256_maddubs_epi16(digits, _mm256_set1_epi16(0x010a));
  const __m256i fours = _mm256_madd_epi16(pairs, _mm256_set1_epi32(0x0001'0064));
  return _mm256_add_epi64(_mm256_mul_epu32(fours, four_times(10'000)),
                          _mm256_srli_epi64(fours, 32));
}

}  // namespace

ZEROBEAT_FOUR_WORDS std::size_t NumberBatch::read_integers(std::array<std::uint64_t, most>& out) {
  round_up();
  for (std::size_t i = 0; i < count_; i += 4) {
    const __m256i zeros = _mm256_set1_epi8('0');
    const __m256i digits = _mm256_and_si256(
        _mm256_xor_si256(four_words(before_end_.data() + i, 0), zeros), load(own_.data() + i));
    __m256i bad = _mm256_setzero_si256();
    const __m256i size = eight_digits_each(digits, bad);
    const __m256i negative = load(negative_.data() + i);
    // A negative zero is no integer.
    bad = _mm256_or_si256(
        bad, _mm256_and_si256(negative, _mm256_cmpeq_epi64(size, _mm256_setzero_si256())));
    _mm256_storeu_si256(reinterpret_cast<__m256i*>(out.data() + i),
                        _mm256_sub_epi64(_mm256_xor_si256(size, negative), negative));
    const std::size_t good = zero_words(bad);
    if (good < 4) return i + good < count_ ? i + good : count_;
  }
  return count_;
}

ZEROBEAT_FOUR_WORDS std::size_t NumberBatch::read_numbers(std::array<std::uint64_t, most>& out) {
  static constexpr double powers[8] = {1e0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7};
  round_up();
  const __m256i none = _mm256_setzero_si256();
  const __m256i ones = four_times(~std::uint64_t{0});
  for (std::size_t i = 0; i < count_; i += 4) {
    const __m256i mask = load(own_.data() + i);
    const __m256i text = _mm256_and_si256(four_words(before_end_.data() + i, 0), mask);
    const __m256i points = _mm256_cmpeq_epi8(text, _mm256_set1_epi8('.'));
    // What stands below the lowest point moves up over it. Without a point all is above.
    const __m256i point = _mm256_and_si256(points, _mm256_sub_epi64(none, points));  // one bit
    const __m256i no_point = _mm256_cmpeq_epi64(points, none);
    const __m256i below = _mm256_andnot_si256(no_point, _mm256_add_epi64(point, ones));
    const __m256i above =
        _mm256_or_si256(no_point, _mm256_sub_epi64(none, _mm256_slli_epi64(point, 8)));
    const __m256i digits = _mm256_xor_si256(text, _mm256_and_si256(mask, _mm256_set1_epi8('0')));
    const __m256i together = _mm256_or_si256(_mm256_slli_epi64(_mm256_and_si256(digits, below), 8),
                                             _mm256_and_si256(digits, above));
    // A point alone is no number.
    __m256i bad = _mm256_andnot_si256(no_point, _mm256_cmpeq_epi64(points, mask));
    const __m256i size = eight_digits_each(together, bad);
    const __m256i places = _mm256_sad_epu8(
        _mm256_andnot_si256(no_point, _mm256_and_si256(above, _mm256_set1_epi8(1))), none);

    const __m128i small = _mm256_castsi256_si128(
        _mm256_permutevar8x32_epi32(size, _mm256_setr_epi32(0, 2, 4, 6, 0, 2, 4, 6)));
    const __m256d power = _mm256_i64gather_pd(powers, places, 8);
    const __m256d value = _mm256_div_pd(_mm256_cvtepi32_pd(small), power);
    const __m256i sign = _mm256_slli_epi64(load(negative_.data() + i), 63);
    _mm256_storeu_si256(reinterpret_cast<__m256i*>(out.data() + i),
                        _mm256_xor_si256(_mm256_castpd_si256(value), sign));
    const std::size_t good = zero_words(bad);
    if (good < 4) return i + good < count_ ? i + good : count_;
  }
  return count_;
}

#else

bool NumberBatch::is_available() { return false; }
std::size_t NumberBatch::read_integers(std::array<std::uint64_t, most>&) { return 0; }
std::size_t NumberBatch::read_numbers(std::array<std::uint64_t, most>&) { return 0; }

#endif

}  // namespace zerobeat::detail
