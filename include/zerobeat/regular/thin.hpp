/// Thinning: fewer points that draw the same picture, or a random share.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/base/share.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

struct Thin {
  static constexpr std::string_view name = "thin";
  static constexpr std::string_view help = "fewer points that draw the same picture";
  static constexpr std::string_view example = "thin tide_gauge.csv --tolerate 1% --points 500";

  enum class How { triangles, extremes };

  std::int64_t points = 2000;     ///< of each strand and column
  How how = How::triangles;       ///< which points stand for the others
  std::vector<std::string> on{};  ///< whose picture; empty: every numeric column
  std::optional<double> share{};  ///< instead: a random share of the rows, 0 to 1
  std::int64_t seed = 1;          ///< of the random share

  friend bool operator==(const Thin&, const Thin&) = default;
};

[[nodiscard]] constexpr auto enum_words(Thin::How) {
  return std::array<std::string_view, 2>{"triangles", "extremes"};
}

template <typename Visitor, OptionsOf<Thin> O>
void fields(Visitor&& visit, O& o) {
  visit("points", o.points, "N", "so many points of each strand and column");
  visit("how", o.how, choices(o.how),
        "the largest triangle of each bucket, or first, least, greatest and last of each stretch "
        "of time");
  visit("on", o.on, "COLUMNS", "whose picture; unset: every numeric column");
  visit("share", share_field(o.share), "SHARE",
        "instead: a random share of each strand's rows, in time order");
  visit("seed", o.seed, "N", "the random share of one seed is always the same");
}

/// Returns those rows of `timeline`, whole, that draw its picture.
///
/// triangles: largest-triangle-three-buckets (Steinarsson, Downsampling Time Series for Visual
/// Representation, 2013): the first and the last reading, and of each of points − 2 buckets of
/// equally many readings the one that makes the largest triangle with the point chosen before it
/// and the mean of the next bucket, by its real time. extremes: of each of points / 4 equal
/// stretches of time the first, least, greatest and last reading; drawn on so many pixels, that is
/// the line itself. Missing readings are no points. With several columns a row is kept when any
/// needs it. The account says, for each column, how far the furthest reading of all is from the
/// line through those kept.
///
/// share: round(share · n) rows of each strand, each set of them as likely (selection sampling:
/// Fan, Muller, Rezucha 1962), the same for the same seed on any machine.
///
/// Cost: about one pass; the distance is one more. Throws Error when points is below 3 (extremes:
/// 4), share is not within 0 to 1, or a column is absent or not numeric.
[[nodiscard]] Timeline thin(const Timeline& timeline, const Thin& options);

/// The whole strand on both sides.
[[nodiscard]] Reach reach(const Thin& options);

inline Timeline operator|(const Timeline& timeline, const Thin& step) {
  return thin(timeline, step);
}

}  // namespace v1
}  // namespace zerobeat
