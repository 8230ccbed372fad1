#include "view/page/encoded.hpp"

#include <array>
#include <catch2/catch.hpp>
#include <cmath>
#include <cstring>
#include <random>
#include <vector>

namespace zerobeat::testing {

namespace {

/// A letter at a time.
std::vector<unsigned char> decoded(const std::string& text) {
  const std::string letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
  std::vector<unsigned char> bytes;
  unsigned bits = 0, count = 0;
  for (const char c : text) {
    if (c == '=') break;
    bits = bits << 6 | static_cast<unsigned>(letters.find(c));
    count += 6;
    if (count < 8) continue;
    count -= 8;
    bytes.push_back(static_cast<unsigned char>(bits >> count));
  }
  return bytes;
}

std::string base64_of(const std::string& text) {
  return detail::base64({reinterpret_cast<const unsigned char*>(text.data()), text.size()});
}

}  // namespace

TEST_CASE("bytes as base64 are what RFC 4648 says in its section 10", "[page]") {
  CHECK(base64_of("").empty());
  CHECK(base64_of("f") == "Zg==");
  CHECK(base64_of("fo") == "Zm8=");
  CHECK(base64_of("foo") == "Zm9v");
  CHECK(base64_of("foob") == "Zm9vYg==");
  CHECK(base64_of("fooba") == "Zm9vYmE=");
  CHECK(base64_of("foobar") == "Zm9vYmFy");
  CHECK(detail::base64_of_digits("666f6f") == "Zm9v");
  CHECK(detail::base64_of_digits("00ffA0").size() == 4);
}

TEST_CASE("numbers come back from their text bit by bit", "[page]") {
  std::mt19937_64 random(3);
  for (std::size_t count : {0u, 1u, 2u, 3u, 64u, 1000u}) {
    std::vector<double> numbers;
    for (std::size_t i = 0; i < count; ++i) {
      numbers.push_back(i % 7 == 3 ? std::nan("") : std::ldexp(static_cast<double>(random()), -40));
    }
    const std::string text = detail::encoded(numbers);
    CHECK(text.size() == detail::encoded_size(8 * count));
    const auto bytes = decoded(text);
    REQUIRE(bytes.size() == 8 * count);
    // The lowest byte first, as this machine has them.
    CHECK((count == 0 || std::memcmp(bytes.data(), numbers.data(), bytes.size()) == 0));
  }
  const float half = 0.5F;
  CHECK(decoded(detail::encoded(std::span<const float>(&half, 1))) ==
        std::vector<unsigned char>{0, 0, 0, 0x3f});
}

}  // namespace zerobeat::testing
