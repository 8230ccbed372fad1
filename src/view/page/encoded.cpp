#include "view/page/encoded.hpp"

#include <algorithm>
#include <bit>
#include <cstdint>
#include <vector>

namespace zerobeat::inline v1::detail {

namespace {

template <typename Bits, typename Number>
std::string encoded_as(std::span<const Number> numbers) {
  std::vector<unsigned char> bytes;
  bytes.reserve(numbers.size() * sizeof(Number));
  for (const Number number : numbers) {
    const auto bits = std::bit_cast<Bits>(number);
    for (std::size_t i = 0; i < sizeof(Bits); ++i) {
      bytes.push_back(static_cast<unsigned char>(bits >> (8 * i)));
    }
  }
  return base64(bytes);
}

}  // namespace

std::string base64(std::span<const unsigned char> bytes) {
  constexpr char letters[] = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
  std::string text;
  text.reserve(encoded_size(bytes.size()));
  for (std::size_t i = 0; i < bytes.size(); i += 3) {
    std::uint32_t three = 0;
    for (std::size_t j = 0; j < 3; ++j)
      three = three << 8 | (i + j < bytes.size() ? bytes[i + j] : 0u);
    const std::size_t there = std::min<std::size_t>(3, bytes.size() - i);
    for (std::size_t j = 0; j < 4; ++j) {
      text += j <= there ? letters[three >> (18 - 6 * j) & 63] : '=';
    }
  }
  return text;
}

std::string base64_of_digits(std::string_view digits) {
  const auto value = [](char c) { return c <= '9' ? c - '0' : c - 'a' + 10; };
  std::vector<unsigned char> bytes;
  for (std::size_t i = 0; i + 1 < digits.size(); i += 2) {
    bytes.push_back(static_cast<unsigned char>(value(digits[i]) << 4 | value(digits[i + 1])));
  }
  return base64(bytes);
}

std::string encoded(std::span<const double> numbers) { return encoded_as<std::uint64_t>(numbers); }

std::string encoded(std::span<const float> numbers) { return encoded_as<std::uint32_t>(numbers); }

}  // namespace zerobeat::detail
