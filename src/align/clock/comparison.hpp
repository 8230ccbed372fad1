/// Strands whose clocks are compared, and how that is told.

#pragma once

#include <optional>
#include <string>
#include <vector>
#include <zerobeat/align/clock/tune.hpp>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// One strand of the other beside one of the reference.
struct StrandPair {
  const Strand* reference = nullptr;  ///< null: it has none
  const Strand* other = nullptr;
};

/// Each strand of the other with the reference's of its key, or its only one.
std::vector<StrandPair> pairs_of(const Timeline& reference, const Timeline& other);
/// Every other strand with that one.
std::vector<StrandPair> pairs_of(const Timeline& timeline, const Strand& right);

/// The strand that options.against names. Throws Error when there is none.
const Strand& right_strand(const Timeline& timeline, const Tune& options);
/// Throws Error when options are for one source.
void check_two_sources(const Tune& options);

/// In the order of the pairs, in parallel.
std::vector<ClockComparison> compared(const Timeline& reference, const Timeline& other,
                                      const std::vector<StrandPair>& pairs, const Tune& options);

/// The strand's key, or the timeline's name.
std::string called(const Timeline& timeline, const Strand& strand);
/// "90.12 s ahead" or "3 s behind".
std::string off_text(double offset_s);
/// "0.951", or "none".
std::string match_text(const std::optional<double>& match);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
