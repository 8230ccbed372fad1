/// A column of a strand, and what its readings are like.

#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <string>
#include <utility>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/view/page.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

inline constexpr std::array<std::pair<const char*, double>, 5> told_quantiles{
    {{"q05", 0.05}, {"q25", 0.25}, {"median", 0.5}, {"q75", 0.75}, {"q95", 0.95}}};
inline constexpr std::size_t histogram_bins = 30;

struct Pair {
  std::size_t source = 0;  ///< its place on the page
  const PageSource* of = nullptr;
  std::size_t strand = 0;
  std::string name{};
  Column numbers{};
  std::size_t rows = 0;
  std::size_t count = 0;  ///< readings: those that are finite
  double least = 0, most = 0, mean = 0, std = 0;
  std::size_t least_row = 0, most_row = 0;  ///< the first of each, from the strand's first row
  std::array<double, told_quantiles.size()> quantiles{};
  std::vector<std::int64_t> histogram{};  ///< one bin, when all are one value

  [[nodiscard]] const Timeline& timeline() const { return of->timeline; }
  [[nodiscard]] const Strand& rows_of() const { return of->timeline.strands()[strand]; }
  [[nodiscard]] Instant first() const { return timeline().times()[rows_of().begin]; }
  /// Its last instant; never the first one.
  [[nodiscard]] Instant last() const;
  [[nodiscard]] double missing_share() const {
    return rows == 0 ? 1 : 1 - static_cast<double>(count) / static_cast<double>(rows);
  }
  [[nodiscard]] std::string title() const;
  /// ` data-column="level_m" data-key="north"`.
  [[nodiscard]] std::string attributes() const;
};

/// The columns and strands of a page, and which of them are drawn.
struct Pairs {
  std::vector<Pair> drawn{};   ///< the worst first when there are more than most_figures
  std::vector<Pair> others{};  ///< too many to be drawn
  std::vector<Pair> empty{};   ///< without a reading
};

/// With how many readings each has, the least and the greatest. Cost: a pass over each column.
[[nodiscard]] Pairs pairs_of(const PageContent& content);

/// The other statistics of a pair. Cost: some passes over its readings.
void find_statistics(Pair& pair);

/// The readings of each rank that is asked for, from 0 for the least, as if they were sorted; ranks
/// ascend. Cost: two passes over them where they are spread, at most as much as selecting each.
[[nodiscard]] std::vector<double> readings_at(std::span<const double> readings, double least,
                                              double most, std::span<const std::size_t> ranks);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
