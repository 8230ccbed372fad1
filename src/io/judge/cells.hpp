/// Cells of text as readings.

#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Which words stand for a missing reading in time and numeric columns, in any case.
class MissingWords {
 public:
  explicit MissingWords(const std::vector<std::string>& further);

  /// Spaces around the text are passed over; the empty text is missing.
  bool holds(std::string_view text) const;
  /// True when the user named further words, which may look like numbers or times.
  bool has_further() const { return has_further_; }

 private:
  std::vector<std::string> words_;  // lower case
  std::array<bool, 256> first_{};   // the first letters of the words
  bool has_further_ = false;
};

/// A cell read as a number.
struct NumberReading {
  enum class Kind : std::uint8_t { integer, number, unreadable };

  Kind kind = Kind::unreadable;
  std::int64_t integer = 0;
  double number = 0;
  bool wide = false;  ///< a number that is whole, and past what int64 holds
};

/// How numbers are written.
struct NumberShape {
  char decimal_mark = '.';
  std::string thousands{};  ///< a mark between groups of digits; empty: none
  std::string strip{};      ///< characters around numbers that do not count

  bool is_plain() const { return thousands.empty() && strip.empty(); }
};

/// Reads a decimal number: a sign, digits, a fraction, an exponent; or infinity. Whole numbers
/// that fit are integers. Spaces around it are passed over. A number too large for a double is
/// unreadable. The nearest double, always.
NumberReading read_number(std::string_view text, char decimal_mark);

/// The same where grouping marks and characters around the number do not count. A mark stands
/// between a first group of one to three digits and others of three (or two, as in 12,34,567, but
/// the last); a space is also one that does not break, or a thin one.
NumberReading read_number(std::string_view text, const NumberShape& shape);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
