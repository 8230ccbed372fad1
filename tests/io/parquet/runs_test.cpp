// Packed numbers of Parquet pages, against the plain way to write and read them.

#include <catch2/catch.hpp>
#include <random>

#include "io/parquet/decimals.hpp"
#include "io/parquet/encode.hpp"
#include "io/parquet/page_values.hpp"

namespace zerobeat::detail {

namespace {

/// Numbers of `width` bits, a bit after the other.
std::string packed_plainly(const std::vector<std::uint64_t>& numbers, unsigned width) {
  std::string bytes((numbers.size() * width + 7) / 8, '\0');
  std::size_t at = 0;
  for (const std::uint64_t number : numbers) {
    for (unsigned bit = 0; bit < width; ++bit, ++at) {
      if ((number >> bit & 1) == 0) continue;
      bytes[at / 8] = static_cast<char>(static_cast<unsigned char>(bytes[at / 8]) | 1U << at % 8);
    }
  }
  return bytes;
}

std::uint64_t mask_of(unsigned width) {
  return width == 64 ? ~std::uint64_t{0} : (std::uint64_t{1} << width) - 1;
}

/// All values of a kind, a few at a time.
template <typename Kind>
std::vector<std::uint64_t> words_of(Kind kind, std::size_t count, std::size_t at_once) {
  std::vector<std::uint64_t> out(count);
  for (std::size_t i = 0; i < count; i += at_once) {
    kind.next(std::span(out).subspan(i, std::min(at_once, count - i)));
  }
  return out;
}

std::vector<std::string> texts_of(PageValues values, std::size_t count) {
  std::vector<std::string> out;
  std::visit(
      [&](auto& kind) {
        TextStore store;
        if constexpr (requires(std::span<std::string_view> some) { kind.next(some, store); }) {
          for (std::size_t i = 0; i < count; ++i) {
            std::string_view text;
            kind.next(std::span(&text, 1), store);
            out.emplace_back(text);
          }
        }
      },
      values);
  return out;
}

}  // namespace

TEST_CASE("numbers of any width are unpacked as they were packed", "[parquet]") {
  std::mt19937_64 random(1);
  for (unsigned width = 0; width <= 64; ++width) {
    for (const std::size_t count : {0, 1, 7, 8, 33, 100}) {
      std::vector<std::uint64_t> numbers(count);
      for (auto& number : numbers) number = width == 0 ? 0 : random() & mask_of(width);
      const std::string bytes = packed_plainly(numbers, width);
      std::vector<std::uint64_t> out(count, 99);
      unpack_bits(bytes, 0, width, std::span(out));
      CHECK(out == numbers);
      if (count < 2) continue;
      // From any number on.
      std::vector<std::uint64_t> rest(count - 1);
      unpack_bits(bytes, width, width, std::span(rest));
      CHECK(rest == std::vector<std::uint64_t>(numbers.begin() + 1, numbers.end()));
    }
  }
}

TEST_CASE("runs and packed groups give back what was written, however few at a time", "[parquet]") {
  std::mt19937 random(2);
  for (const unsigned width : {1U, 2U, 7U, 13U, 32U}) {
    for (const std::size_t count : {1, 8, 9, 500}) {
      std::vector<std::uint32_t> numbers(count);
      const bool alike = random() % 3 == 0;
      const auto mask = static_cast<std::uint32_t>(mask_of(width));
      const auto first = static_cast<std::uint32_t>(random()) & mask;
      for (auto& number : numbers) {
        number = alike ? first : static_cast<std::uint32_t>(random()) & mask;
      }
      std::string bytes;
      append_hybrid(bytes, numbers, width);
      for (const std::size_t at_once : {1, 3, 64}) {
        HybridRuns runs(bytes, width);
        std::vector<std::uint32_t> out(count);
        for (std::size_t i = 0; i < count; i += at_once) {
          runs.next(std::span(out).subspan(i, std::min<std::size_t>(at_once, count - i)));
        }
        CHECK(out == numbers);
      }
    }
  }
}

TEST_CASE("a run, a group and a run stand one after the other", "[parquet]") {
  // Four times 5, eight packed numbers of three bits, twice 7.
  std::string bytes;
  append_varint(bytes, 4 << 1);
  bytes += '\5';
  append_varint(bytes, 1 << 1 | 1);
  bytes += packed_plainly({0, 1, 2, 3, 4, 5, 6, 7}, 3);
  append_varint(bytes, 2 << 1);
  bytes += '\7';
  HybridRuns runs(bytes, 3);
  CHECK(runs.pass_over(5, 3));
  CHECK_FALSE(runs.pass_over(4, 1));
  std::vector<std::uint32_t> out(11);
  runs.next(out);
  CHECK(out == std::vector<std::uint32_t>{5, 0, 1, 2, 3, 4, 5, 6, 7, 7, 7});
  std::uint32_t more = 0;
  CHECK_THROWS_AS(runs.next(std::span(&more, 1)), DamagedPage);
  CHECK_THROWS_AS(HybridRuns(bytes, 33), DamagedPage);
}

TEST_CASE("differences in blocks give back every whole number there is", "[parquet]") {
  std::mt19937_64 random(3);
  constexpr auto least = std::numeric_limits<std::int64_t>::min();
  constexpr auto most = std::numeric_limits<std::int64_t>::max();
  std::vector<std::vector<std::int64_t>> all{{}, {7}, {least, most, least, 0, most}};
  for (const std::size_t count : {2, 33, 128, 129, 130, 1000}) {
    std::vector<std::int64_t> steady, wild;
    for (std::size_t i = 0; i < count; ++i) {
      steady.push_back(1'761'000'000'000 + static_cast<std::int64_t>(i * 250 + random() % 5));
      wild.push_back(static_cast<std::int64_t>(random()));
    }
    all.push_back(steady);
    all.push_back(wild);
  }
  for (const auto& values : all) {
    std::string bytes;
    append_deltas(bytes, values);
    bytes += "behind";
    for (const std::size_t at_once : {1, 5, 4096}) {
      DeltaRuns runs(bytes);
      CHECK(runs.count() == values.size());
      const auto out = words_of(runs, values.size(), at_once);
      CHECK(std::equal(
          out.begin(), out.end(), values.begin(), values.end(),
          [](std::uint64_t a, std::int64_t b) { return static_cast<std::int64_t>(a) == b; }));
    }
    CHECK(DeltaRuns(bytes).rest() == "behind");
  }
}

TEST_CASE("words in every way that they may be written are the same words", "[parquet]") {
  std::mt19937_64 random(4);
  std::vector<std::uint64_t> words(77);
  for (auto& word : words) word = random();
  std::string plain, split(words.size() * 8, '\0');
  for (std::size_t i = 0; i < words.size(); ++i) {
    append_plain(plain, words[i]);
    for (std::size_t byte = 0; byte < 8; ++byte) {
      split[byte * words.size() + i] = static_cast<char>(words[i] >> 8 * byte);
    }
  }
  CHECK(words_of(PlainWords{plain, 8}, words.size(), 10) == words);
  CHECK(words_of(SplitWords{split, 8, words.size(), 0}, words.size(), 10) == words);
  std::uint64_t more[78];
  PlainWords few{plain, 8};
  CHECK_THROWS_AS(few.next(more), DamagedPage);
  SplitWords few_split{split, 8, words.size(), 0};
  CHECK_THROWS_AS(few_split.next(more), DamagedPage);
}

TEST_CASE("texts in every way that they may be written are the same texts", "[parquet]") {
  const std::vector<std::string> texts{"gear 1", "gear 12", "", "gear 12", "geyser", "net"};
  std::string plain, bytes;
  std::vector<std::int64_t> lengths, shared, suffix_lengths;
  std::string suffixes, before;
  for (const auto& text : texts) {
    append_plain(plain, static_cast<std::uint32_t>(text.size()));
    plain += text;
    lengths.push_back(static_cast<std::int64_t>(text.size()));
    bytes += text;
    std::size_t same = 0;
    while (same < text.size() && same < before.size() && text[same] == before[same]) ++same;
    shared.push_back(static_cast<std::int64_t>(same));
    suffix_lengths.push_back(static_cast<std::int64_t>(text.size() - same));
    suffixes += text.substr(same);
    before = text;
  }
  std::string by_length, by_share;
  append_deltas(by_length, lengths);
  by_length += bytes;
  append_deltas(by_share, shared);
  append_deltas(by_share, suffix_lengths);
  by_share += suffixes;
  const auto read = [&](ParquetEncoding encoding, const std::string& page) {
    return texts_of(page_values(encoding, Physical::byte_array, 0, page, texts.size()),
                    texts.size());
  };
  CHECK(read(ParquetEncoding::plain, plain) == texts);
  CHECK(read(ParquetEncoding::delta_length_byte_array, by_length) == texts);
  CHECK(read(ParquetEncoding::delta_byte_array, by_share) == texts);
  // Cut anywhere, it ends too early or is a text that lies outside.
  for (const auto& [encoding, page] :
       {std::pair(ParquetEncoding::plain, plain),
        std::pair(ParquetEncoding::delta_length_byte_array, by_length),
        std::pair(ParquetEncoding::delta_byte_array, by_share)}) {
    for (std::size_t size = 1; size < page.size(); ++size) {
      INFO(static_cast<int>(encoding) << " " << size);
      CHECK_THROWS_AS(read(encoding, page.substr(0, size)), DamagedPage);
    }
  }
}

TEST_CASE("more lengths than there are values are none", "[parquet]") {
  std::string bytes;
  append_varint(bytes, 128);
  append_varint(bytes, 4);
  append_varint(bytes, std::uint64_t{1} << 60);
  bytes += std::string(20, '\0');
  for (const auto encoding :
       {ParquetEncoding::delta_length_byte_array, ParquetEncoding::delta_byte_array}) {
    CHECK_THROWS_WITH(page_values(encoding, Physical::byte_array, 0, bytes, 1000),
                      Catch::Contains("more lengths than values"));
  }
}

TEST_CASE("a way to write that a type does not have is told by its number", "[parquet]") {
  CHECK_THROWS_WITH(page_values(ParquetEncoding::delta_binary_packed, Physical::float64, 0, "x", 1),
                    Catch::Contains("in way 5"));
  CHECK_THROWS_WITH(page_values(ParquetEncoding::rle, Physical::int64, 0, "x", 1),
                    Catch::Contains("in way 3"));
  CHECK_THROWS_WITH(page_values(static_cast<ParquetEncoding>(77), Physical::int64, 0, "x", 1),
                    Catch::Contains("in way 77"));
}

TEST_CASE("a decimal is the number nearest to it, and told when its digits are lost", "[parquet]") {
  CHECK(decimal_number(12345, 2).number == 123.45);
  CHECK(decimal_number(-5, 3).number == -0.005);
  CHECK(decimal_number(std::numeric_limits<std::int64_t>::min(), 0).number ==
        -9223372036854775808.0);
  CHECK(decimal_number(123456789012345678, 3).number == 123456789012345.678);
  CHECK_FALSE(decimal_number(1234567890123456789, 3).exact);
  CHECK(decimal_number(1'000'000'000'000'000'000, 3).exact);
  // Two's complements of any length, the highest byte first.
  const auto bytes = [](std::initializer_list<int> all) {
    std::string text;
    for (const int byte : all) text += static_cast<char>(byte);
    return text;
  };
  CHECK(decimal_number("", 2).number == 0);
  CHECK(decimal_number(bytes({0x04, 0xd2}), 2).number == 12.34);
  CHECK(decimal_number(bytes({0xff}), 1).number == -0.1);
  CHECK(decimal_number(bytes({0, 0, 0, 0, 0, 0, 0, 0, 0x04, 0xd2}), 2).number == 12.34);
  CHECK(decimal_number(std::string(15, '\xff') + '\xfe', 0).number == -2);
  // 2^80, which is a number, and 2^80 + 1, which is none.
  std::string large = '\1' + std::string(10, '\0');
  CHECK(decimal_number(large, 0).number == std::ldexp(1.0, 80));
  CHECK(decimal_number(large, 0).exact);
  large.back() = 1;
  CHECK(decimal_number(large, 0).number == std::ldexp(1.0, 80));
  CHECK_FALSE(decimal_number(large, 0).exact);
}

}  // namespace zerobeat::detail
