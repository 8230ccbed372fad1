#include <fmt/format.h>

#include <charconv>
#include <cmath>
#include <limits>
#include <zerobeat/time/elapsed.hpp>

#include "base/trim.hpp"
#include "base/wide.hpp"

namespace zerobeat::inline v1 {

namespace {

constexpr std::int64_t second = 1'000'000'000;
constexpr Wide furthest = std::numeric_limits<std::int64_t>::max();

/// A decimal of at most so many digits that 128 bits hold it, as digits times a power of ten.
struct Decimal {
  Wide digits = 0;
  int exponent = 0;
  bool negative = false;
};

std::optional<Decimal> read_decimal(std::string_view text) {
  Decimal out;
  std::size_t i = 0;
  if (i < text.size() && (text[i] == '-' || text[i] == '+')) out.negative = text[i++] == '-';
  bool any = false, fraction = false;
  constexpr Wide most = furthest;  // what is beyond is no time
  for (; i < text.size(); ++i) {
    const char c = text[i];
    if (c == '.' && !fraction) {
      fraction = true;
    } else if (c >= '0' && c <= '9') {
      any = true;
      if (out.digits > most) {
        out.exponent += !fraction;
        continue;
      }
      out.digits = out.digits * 10 + (c - '0');
      out.exponent -= fraction;
    } else {
      break;
    }
  }
  if (!any) return std::nullopt;
  if (i < text.size() && (text[i] == 'e' || text[i] == 'E')) {
    int power = 0;
    const char* from = text.data() + i + 1;
    if (from != text.data() + text.size() && *from == '+') ++from;
    const auto [end, error] = std::from_chars(from, text.data() + text.size(), power);
    if (error != std::errc() || end != text.data() + text.size()) return std::nullopt;
    if (std::abs(power) > 1000) return std::nullopt;
    out.exponent += power;
    i = text.size();
  }
  return i == text.size() ? std::optional(out) : std::nullopt;
}

}  // namespace

std::int64_t nanoseconds_of(ElapsedUnit unit) {
  switch (unit) {
    case ElapsedUnit::ms:
      return 1'000'000;
    case ElapsedUnit::s:
      return second;
    case ElapsedUnit::min:
      return 60 * second;
    case ElapsedUnit::h:
      return 3600 * second;
    case ElapsedUnit::d:
      return 86'400 * second;
    case ElapsedUnit::count:
      break;
  }
  return second;
}

std::optional<Instant> read_elapsed(std::string_view text, ElapsedUnit unit) {
  const auto number = read_decimal(detail::trim(text));
  if (!number) return std::nullopt;
  // digits · unit · 10^exponent, rounded half away from zero.
  Wide value = number->digits * nanoseconds_of(unit);
  for (int e = number->exponent; e > 0 && value != 0; --e) {
    value *= 10;
    if (value > furthest) return std::nullopt;
  }
  Wide scale = 1;
  for (int e = number->exponent; e < 0; ++e) {
    if (scale > value) break;  // less than a tenth of a nanosecond
    scale *= 10;
  }
  if (unit == ElapsedUnit::count && value % (scale * second) != 0) return std::nullopt;
  value = (2 * value + scale) / (2 * scale);
  if (value > furthest) return std::nullopt;
  return instant_of(static_cast<std::int64_t>(number->negative ? -value : value));
}

double elapsed_number(Instant t, ElapsedUnit unit) {
  return static_cast<double>(static_cast<long double>(nanoseconds_of(t)) /
                             static_cast<long double>(nanoseconds_of(unit)));
}

void append_elapsed(std::string& out, Instant t, ElapsedUnit unit) {
  const std::int64_t ns = nanoseconds_of(t), size = nanoseconds_of(unit);
  if (ns % size == 0) {
    out += fmt::format("{}", ns / size);
    return;
  }
  // As few digits after the point as read back to the same nanosecond.
  const bool negative = ns < 0;
  const auto whole = static_cast<Wide>(negative ? -static_cast<Wide>(ns) : static_cast<Wide>(ns));
  Wide scale = 1;
  for (int digits = 1; digits <= 18; ++digits) {
    scale *= 10;
    const Wide rounded = (2 * whole * scale + size) / (2 * Wide{size});
    const Wide back = (2 * rounded * size + scale) / (2 * scale);
    if (back != whole) continue;
    out +=
        fmt::format("{}{}.{:0{}}", negative ? "-" : "", static_cast<std::int64_t>(rounded / scale),
                    static_cast<std::int64_t>(rounded % scale), digits);
    return;
  }
}

}  // namespace zerobeat
