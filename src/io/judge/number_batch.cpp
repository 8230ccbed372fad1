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

namespace {

/// Four cells of a sign and digits, the last of these in the highest bytes: `text` is theirs alone,
/// `own` says which bytes that are, and `negative` is all bits or none.
struct FourCells {
  __m256i text, own, negative;
};

ZEROBEAT_FOUR_WORDS inline __m256i integers_of(const FourCells& cells, __m256i& bad) {
  const __m256i digits =
      _mm256_xor_si256(cells.text, _mm256_and_si256(cells.own, _mm256_set1_epi8('0')));
  const __m256i size = eight_digits_each(digits, bad);
  // A negative zero is no integer.
  bad = _mm256_or_si256(
      bad, _mm256_and_si256(cells.negative, _mm256_cmpeq_epi64(size, _mm256_setzero_si256())));
  return _mm256_sub_epi64(_mm256_xor_si256(size, cells.negative), cells.negative);
}

/// The lower half of each word.
ZEROBEAT_FOUR_WORDS inline __m256d lower_halves(__m256i words) {
  return _mm256_cvtepi32_pd(_mm256_castsi256_si128(
      _mm256_permutevar8x32_epi32(words, _mm256_setr_epi32(0, 2, 4, 6, 0, 2, 4, 6))));
}

ZEROBEAT_FOUR_WORDS inline __m256i numbers_of(const FourCells& cells, __m256i& bad) {
  const __m256i powers =
      _mm256_setr_epi32(1, 10, 100, 1'000, 10'000, 100'000, 1'000'000, 10'000'000);
  const __m256i none = _mm256_setzero_si256();
  const __m256i ones = four_times(~std::uint64_t{0});
  const __m256i points = _mm256_cmpeq_epi8(cells.text, _mm256_set1_epi8('.'));
  // What stands below the lowest point moves up over it. Without a point all is above.
  const __m256i point = _mm256_and_si256(points, _mm256_sub_epi64(none, points));  // one bit
  const __m256i no_point = _mm256_cmpeq_epi64(points, none);
  const __m256i below = _mm256_andnot_si256(no_point, _mm256_add_epi64(point, ones));
  const __m256i above =
      _mm256_or_si256(no_point, _mm256_sub_epi64(none, _mm256_slli_epi64(point, 8)));
  const __m256i digits =
      _mm256_xor_si256(cells.text, _mm256_and_si256(cells.own, _mm256_set1_epi8('0')));
  const __m256i together = _mm256_or_si256(_mm256_slli_epi64(_mm256_and_si256(digits, below), 8),
                                           _mm256_and_si256(digits, above));
  // A point alone is no number.
  bad = _mm256_or_si256(bad, _mm256_andnot_si256(no_point, _mm256_cmpeq_epi64(points, cells.own)));
  const __m256i size = eight_digits_each(together, bad);
  const __m256i places = _mm256_sad_epu8(
      _mm256_andnot_si256(no_point, _mm256_and_si256(above, _mm256_set1_epi8(1))), none);
  const __m256d value =
      _mm256_div_pd(lower_halves(size), lower_halves(_mm256_permutevar8x32_epi32(powers, places)));
  return _mm256_xor_si256(_mm256_castpd_si256(value), _mm256_slli_epi64(cells.negative, 63));
}

ZEROBEAT_FOUR_WORDS inline void store(std::uint64_t* to, __m256i words) {
  _mm256_storeu_si256(reinterpret_cast<__m256i*>(to), words);
}

/// Four cells whose places are known, of up to eight characters; which are not gets into `bad`.
ZEROBEAT_FOUR_WORDS inline FourCells four_cells(const EvenNumbers& cells, std::size_t i,
                                                __m256i& bad) {
  const std::uint32_t* const stops = cells.stops + i * cells.stride;
  const auto stop = [&](std::size_t k) { return stops[k * cells.stride]; };
  const auto place_before = [&](std::size_t k) { return (stops + k * cells.stride)[-1]; };
  const auto as_int = [](std::uint32_t place) { return static_cast<int>(place); };
  const __m128i ends =
      _mm_setr_epi32(as_int(stop(0)), as_int(stop(1)), as_int(stop(2)), as_int(stop(3)));
  const __m128i before = _mm_setr_epi32(as_int(place_before(0)), as_int(place_before(1)),
                                        as_int(place_before(2)), as_int(place_before(3)));
  const __m128i sizes = _mm_sub_epi32(_mm_sub_epi32(ends, before), _mm_set1_epi32(1));
  const __m256i size = _mm256_cvtepu32_epi64(sizes);
  const auto word = [&](std::size_t k) {
    return static_cast<long long>(load8(cells.base + stop(k) - 8));
  };
  const __m256i words = _mm256_set_epi64x(word(3), word(2), word(1), word(0));
  const __m256i eight = four_times(8), none = _mm256_setzero_si256();
  // None, and more than eight.
  bad = _mm256_or_si256(_mm256_cmpeq_epi64(size, none), _mm256_cmpgt_epi64(size, eight));
  FourCells out;
  out.own = _mm256_sllv_epi64(four_times(~std::uint64_t{0}),
                              _mm256_slli_epi64(_mm256_sub_epi64(eight, size), 3));
  out.text = _mm256_and_si256(words, out.own);
  const __m256i first = _mm256_andnot_si256(_mm256_slli_epi64(out.own, 8), out.own);
  const __m256i sign = _mm256_and_si256(first, _mm256_cmpeq_epi8(out.text, _mm256_set1_epi8('-')));
  out.negative = _mm256_xor_si256(_mm256_cmpeq_epi64(sign, none), four_times(~std::uint64_t{0}));
  out.own = _mm256_xor_si256(out.own, sign);
  out.text = _mm256_andnot_si256(sign, out.text);
  // A sign alone is no number.
  bad = _mm256_or_si256(bad, _mm256_cmpeq_epi64(out.own, none));
  return out;
}

/// A zero before another digit, which a whole number would lose.
ZEROBEAT_FOUR_WORDS inline __m256i needless_zeros(const FourCells& cells) {
  const __m256i first = _mm256_andnot_si256(_mm256_slli_epi64(cells.own, 8), cells.own);
  const __m256i zero =
      _mm256_and_si256(first, _mm256_cmpeq_epi8(cells.text, _mm256_set1_epi8('0')));
  return _mm256_andnot_si256(_mm256_cmpeq_epi64(first, cells.own), zero);
}

}  // namespace

ZEROBEAT_FOUR_WORDS std::size_t NumberBatch::read_integers(std::array<std::uint64_t, most>& out) {
  round_up();
  for (std::size_t i = 0; i < count_; i += 4) {
    const __m256i own = load(own_.data() + i);
    const FourCells cells{_mm256_and_si256(four_words(before_end_.data() + i, 0), own), own,
                          load(negative_.data() + i)};
    __m256i bad = _mm256_setzero_si256();
    store(out.data() + i, integers_of(cells, bad));
    const std::size_t good = zero_words(bad);
    if (good < 4) return i + good < count_ ? i + good : count_;
  }
  return count_;
}

ZEROBEAT_FOUR_WORDS std::size_t NumberBatch::read_numbers(std::array<std::uint64_t, most>& out) {
  round_up();
  for (std::size_t i = 0; i < count_; i += 4) {
    const __m256i own = load(own_.data() + i);
    const FourCells cells{_mm256_and_si256(four_words(before_end_.data() + i, 0), own), own,
                          load(negative_.data() + i)};
    __m256i bad = _mm256_setzero_si256();
    store(out.data() + i, numbers_of(cells, bad));
    const std::size_t good = zero_words(bad);
    if (good < 4) return i + good < count_ ? i + good : count_;
  }
  return count_;
}

ZEROBEAT_FOUR_WORDS std::size_t EvenNumbers::read_integers(std::uint64_t* out) const {
  std::size_t i = 0;
  for (; i + 4 <= count; i += 4) {
    __m256i bad;
    const FourCells cells = four_cells(*this, i, bad);
    bad = _mm256_or_si256(bad, needless_zeros(cells));
    const __m256i integers = integers_of(cells, bad);
    store(out + i, integers);
    const std::size_t good = zero_words(bad);
    if (good < 4) return i + good;
  }
  return i;
}

ZEROBEAT_FOUR_WORDS std::size_t EvenNumbers::read_numbers(std::uint64_t* out) const {
  std::size_t i = 0;
  for (; i + 4 <= count; i += 4) {
    __m256i bad;
    const FourCells cells = four_cells(*this, i, bad);
    store(out + i, numbers_of(cells, bad));
    const std::size_t good = zero_words(bad);
    if (good < 4) return i + good;
  }
  return i;
}

#else

bool NumberBatch::is_available() { return false; }
std::size_t NumberBatch::read_integers(std::array<std::uint64_t, most>&) { return 0; }
std::size_t NumberBatch::read_numbers(std::array<std::uint64_t, most>&) { return 0; }
std::size_t EvenNumbers::read_integers(std::uint64_t*) const { return 0; }
std::size_t EvenNumbers::read_numbers(std::uint64_t*) const { return 0; }

#endif

}  // namespace zerobeat::detail
