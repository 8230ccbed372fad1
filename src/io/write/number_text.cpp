#include "io/write/number_text.hpp"

#include <fmt/compile.h>

#include <array>
#include <cmath>

#include "base/decimal_text.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::uint32_t most_decimals = 8;
constexpr std::array<double, most_decimals + 1> powers{1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8};
constexpr std::array<std::uint32_t, most_decimals + 1> shifts{
    100'000'000, 10'000'000, 1'000'000, 100'000, 10'000, 1'000, 100, 10, 1};

/// Whether decimals of it have up to seven digits before the point, so that with those behind it
/// there are 15 at most, and no exponent.
bool is_short(double size) { return size < 1e7 && (size >= 1e-4 || size == 0); }

}  // namespace

[[gnu::always_inline]] inline char* NumberText::write_decimals(char* out, double size,
                                                               std::uint32_t decimals) {
  const double power = powers[decimals];
  const auto whole = static_cast<std::int64_t>(size * power + 0.5);
  if (static_cast<double>(whole) / power != size) return nullptr;
  const auto before = static_cast<std::int64_t>(size);
  const auto scale = static_cast<std::int64_t>(power);
  const auto behind = static_cast<std::uint32_t>(whole - before * scale) * shifts[decimals];
  out = write_to_eight_digits(out, static_cast<std::uint32_t>(before));
  if (behind == 0) return out;
  *out = '.';
  return write_eight_decimals(out + 1, behind);
}

char* NumberText::write_longer(char* out, double number, double size) {
  char* const digits = out + std::signbit(number);
  if (tries_ > 0 && is_short(size)) {
    --tries_;
    for (std::uint32_t decimals = 0; decimals <= most_decimals; ++decimals) {
      char* const end = write_decimals(digits, size, decimals);
      if (end == nullptr) continue;
      decimals_ = decimals;
      tries_ = most_tries;
      return end;
    }
  }
  return fmt::format_to(out, FMT_COMPILE("{}"), number);
}

char* NumberText::write(char* out, double number) {
  const double size = std::abs(number);
  if (is_short(size)) [[likely]] {
    *out = '-';
    char* const end = write_decimals(out + std::signbit(number), size, decimals_);
    if (end != nullptr) [[likely]]
      return end;
  }
  return write_longer(out, number, size);
}

char* write_integer(char* out, std::int64_t number) {
  *out = '-';
  out += number < 0;
  const auto size = number < 0 ? std::uint64_t{0} - static_cast<std::uint64_t>(number)
                               : static_cast<std::uint64_t>(number);
  constexpr std::uint64_t eight = 100'000'000;
  if (size < eight) [[likely]]
    return write_to_eight_digits(out, static_cast<std::uint32_t>(size));
  return fmt::format_to(out, FMT_COMPILE("{}"), size);
}

}  // namespace zerobeat::detail
