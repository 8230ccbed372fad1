/// Pages: what is to be known of sources before they are trusted, as one HTML file of its own.
///
/// A page asks no network, holds no clock and no random number: the same content gives the same
/// bytes. All that is data is text on it, whatever it holds. Threads may call these at the same
/// time.

#pragma once

#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/judge/judge.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/grid.hpp>
#include <zerobeat/view/report.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// A record or reading at fault, and when it happened: at the time of the record before it.
struct PageMark {
  std::size_t strand = 0;
  Instant at{};
  std::uint64_t line = 0, byte = 0;
  std::string reason{};
  std::string column{};  ///< of an unreadable reading
  std::string text{};    ///< the raw text
};

/// A source as a page shows it.
struct PageSource {
  Judgement judgement{};
  Timeline timeline;                             ///< its kept records, strand by strand
  std::vector<std::vector<TimeSpan>> missing{};  ///< of each strand: where it has no records
  std::vector<PageMark> marks{};                 ///< in order of line
};

struct PageContent {
  std::vector<PageSource> sources{};
  std::vector<StepAccount> steps{};
  Origin origin{};
  std::string made_at{};  ///< told only when it is given
};

/// Throws Error of kind usage when a report's file does not end in .html or .htm.
void check_report_path(const std::string& path);

/// The page, in the order in which a reader asks: whether the sources can be trusted, when things
/// happened, what each column is like, what was done, and where it came from. Of more strands and
/// columns than 24 the worst are drawn, and the others told in a table.
/// Cost: some passes over the records.
[[nodiscard]] std::string page_html(const PageContent& content);

}  // namespace v1
}  // namespace zerobeat
