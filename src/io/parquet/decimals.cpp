#include "io/parquet/decimals.hpp"

#include <fast_float/fast_float.h>
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <iterator>
#include <string>

namespace zerobeat::inline v1::detail {

namespace {

/// The digits of a magnitude in bytes, the highest first.
std::string digits_of(std::string bytes) {
  std::string digits;
  std::size_t first = 0;
  while (true) {
    while (first < bytes.size() && bytes[first] == 0) ++first;
    if (first == bytes.size()) break;
    constexpr unsigned step = 1'000'000'000;
    std::uint64_t rest = 0;
    for (std::size_t i = first; i < bytes.size(); ++i) {
      rest = rest << 8 | static_cast<unsigned char>(bytes[i]);
      bytes[i] = static_cast<char>(rest / step);
      rest %= step;
    }
    for (int i = 0; i < 9; ++i, rest /= 10) digits += static_cast<char>('0' + rest % 10);
  }
  while (!digits.empty() && digits.back() == '0') digits.pop_back();
  std::ranges::reverse(digits);
  return digits.empty() ? "0" : digits;
}

DecimalNumber number_of(std::string digits, bool negative, int scale) {
  const std::string text = fmt::format("{}{}e{}", negative ? "-" : "", digits, -scale);
  DecimalNumber out;
  fast_float::from_chars(text.data(), text.data() + text.size(), out.number);
  while (digits.size() > 1 && digits.back() == '0') digits.pop_back();
  constexpr std::size_t always_kept = 15;
  if (digits.size() <= always_kept) return out;
  std::string back = fmt::format("{:.{}e}", negative ? -out.number : out.number, digits.size() - 1);
  back.resize(std::min(back.size(), back.find('e')));
  std::erase(back, '.');
  out.exact = back == digits;
  return out;
}

}  // namespace

DecimalNumber decimal_number(std::int64_t value, int scale) {
  constexpr std::array<double, 23> powers{1e0,  1e1,  1e2,  1e3,  1e4,  1e5,  1e6,  1e7,
                                          1e8,  1e9,  1e10, 1e11, 1e12, 1e13, 1e14, 1e15,
                                          1e16, 1e17, 1e18, 1e19, 1e20, 1e21, 1e22};
  // Both are exact, and so their quotient is the nearest there is (Clinger 1990).
  constexpr std::int64_t fifteen_digits = 1'000'000'000'000'000;
  if (value < fifteen_digits && value > -fifteen_digits &&
      scale < static_cast<int>(powers.size())) {
    return {static_cast<double>(value) / powers[static_cast<std::size_t>(scale)], true};
  }
  const std::uint64_t size =
      value < 0 ? ~static_cast<std::uint64_t>(value) + 1 : static_cast<std::uint64_t>(value);
  return number_of(fmt::to_string(size), value < 0, scale);
}

DecimalNumber decimal_number(std::string_view big_endian, int scale) {
  const bool negative = !big_endian.empty() && (big_endian[0] & 0x80) != 0;
  if (big_endian.size() <= 8) {
    std::uint64_t value = negative ? ~std::uint64_t{0} : 0;
    for (const char byte : big_endian) value = value << 8 | static_cast<unsigned char>(byte);
    return decimal_number(static_cast<std::int64_t>(value), scale);
  }
  std::string bytes(big_endian);
  if (negative) {
    unsigned carry = 1;
    for (std::size_t i = bytes.size(); i-- > 0;) {
      carry += static_cast<unsigned char>(~static_cast<unsigned>(bytes[i]));
      bytes[i] = static_cast<char>(carry & 0xff);
      carry >>= 8;
    }
  }
  return number_of(digits_of(std::move(bytes)), negative, scale);
}

}  // namespace zerobeat::detail
