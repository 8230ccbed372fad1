/// Reports of sources and what was made of them: a page that tells whether to trust them.
///
/// Threads may call these at the same time, each with a file of its own.

#pragma once

#include <span>
#include <string>
#include <zerobeat/base/export.hpp>
#include <zerobeat/judge/records.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/view/page.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// A source as a page shows it: its records judged and in order, where none are, and when those at
/// fault happened.
[[nodiscard]] PageSource page_source(const Records& records, const JudgeOptions& judging = {});

/// A series that was made of sources, as a page shows it.
[[nodiscard]] PageSource page_series_of(const Timeline& timeline);

/// Writes the page of sources, and of the steps that made `series` of them, whole or not at all:
/// report({&tide, 1}, {&level, 1}, "health.html"). What all steps of a series changed together is
/// told as its last step's. Throws Error of kind output.
void report(std::span<const Records> sources, std::span<const Timeline> series,
            const std::string& path);

}  // namespace v1
}  // namespace zerobeat
