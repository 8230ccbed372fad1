/// Timestamps of one date and one length, four at once: what the records of a day have in common
/// is compared, and the digits of the clock are added up in vectors.
///
/// They are ten characters of a date, one between, and hh:mm, hh:mm:ss or hh:mm:ss.fff, with a Z
/// after the seconds or the fraction or none. The plain reader says the same of each.

#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

class SameDay {
 public:
  /// How many texts are read in one call at the most.
  static constexpr std::size_t batch = 64;

  /// Places of texts, the last of which is repeated to make the number one of whole fours.
  using Texts = std::array<const char*, batch>;

  static bool is_available();

  /// Learns what the texts of a day have in common from one that was read, n bytes at p.
  /// `midnight` is the nanosecond since 1970 at which its clock shows 00:00. Returns whether it is
  /// such a text.
  bool learn(const char* p, std::size_t n, std::int64_t midnight);

  /// Bytes of each text.
  std::size_t length() const { return length_; }

  /// Reads `count` texts of that length, as nanoseconds since 1970. Returns how many there were up
  /// to the first that is not like the one learnt. Needs is_available().
  std::size_t read(const Texts& texts, std::size_t count,
                   std::array<std::int64_t, batch>& out) const;

 private:
  std::size_t length_ = 0;
  // The three words of a text, with '0' for the digits of the clock.
  std::uint64_t date_ = 0, date_and_minutes_ = 0, rest_ = 0;
  std::int64_t midnight_ = 0;
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
