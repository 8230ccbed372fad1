/// Stacked series: records of several sensors or instruments in one source, read without a key.
///
/// Threads may read these at the same time; references live as long as what gave them.

#pragma once

#include <optional>
#include <zerobeat/base/export.hpp>
#include <zerobeat/judge/judge.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// Whether a tenth of the records or more repeat a time or come after a later one.
[[nodiscard]] bool in_disorder(const Judgement& judgement);

/// Whether the times of a source without a key, as judged, look like those of several: in
/// disorder, or irregular.
[[nodiscard]] bool may_be_stacked(const Records& records, const Judgement& judgement);

/// The finding `stacked`: the column of names or whole numbers that tells series apart, to be read
/// with --key.
///
/// It is the one within whose values the fewest records repeat a time or come after a later one: a
/// twentieth of those without it at most, where those are a tenth of the records, and its values
/// stand in blocks or have steps of their own; or, where the whole has no regular step, one whose
/// values have. Steps of their own: three quarters within a tenth of the typical one. A column with
/// one value, with missing ones, or with more values than a fifth of the records, is none; whole
/// numbers are asked where no names will do. Where no column alone tells them apart, a pair may:
/// --key A+B. None when the records have a key.
///
/// Cost: a pass over the times for each column of text, and of whole numbers below 2^20; for each
/// pair of the first eight where none alone will do.
[[nodiscard]] std::optional<Finding> find_stacked(const Records& records);

}  // namespace v1
}  // namespace zerobeat
