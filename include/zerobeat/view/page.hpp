/// Pages: what is to be known of sources before they are trusted, as one HTML file of its own.
///
/// A page asks no network, holds no clock and no random number: the same content gives the same
/// bytes. All that is data is text on it, whatever it holds. Threads may call these at the same
/// time.

#pragma once

#include <optional>
#include <string>
#include <utility>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/judge/judge.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/grid.hpp>
#include <zerobeat/view/report.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// A record or reading at fault, or where a finding was first seen, and when it happened: of what
/// has no time of its own at that of the record before it.
struct PageMark {
  std::size_t strand = 0;
  Instant at{};
  std::uint64_t line = 0, byte = 0;
  std::string reason{};  ///< or the finding's kind
  std::string column{};  ///< of an unreadable reading
  std::string text{};    ///< the raw text
  std::string remedy{};  ///< what it is, and what to do about it
};

/// A source as a page shows it.
struct PageSource {
  Judgement judgement{};
  Timeline timeline;                             ///< its kept records, strand by strand
  std::vector<std::vector<TimeSpan>> missing{};  ///< of each strand: where it has no records
  std::vector<PageMark> marks{};                 ///< in order of line
  std::vector<PageMark> findings{};              ///< those that have a line, the worst first
};

/// A reading that a step filled, set or took away.
struct PageChange {
  std::size_t step = 0;  ///< its place in PageContent::steps
  std::string column{}, key{};
  Instant at{};
  std::string time{};  ///< as text
  std::optional<double> before{}, after{};
};

/// What a step was given and what it made of it, in the stretch of time that it changed most.
struct PageStretch {
  std::size_t step = 0;  ///< its place in PageContent::steps
  std::string column{}, key{};
  Zone zone{};
  Axis axis{};
  std::string time_name{};
  std::vector<std::pair<Instant, std::optional<double>>> before{}, after{};
};

/// Something that records flow through: a source or a series.
struct PageFlow {
  std::string name{};
  bool is_source = false;
  std::vector<std::string> lines{};  ///< its file, or its steps, and where it goes
  std::vector<std::size_t> from{};   ///< places of those that it takes from, all before it
};

struct PageContent {
  std::vector<PageSource> sources{};
  std::vector<PageSource> series{};  ///< what was made of them: timelines alone, without an account
  std::vector<StepAccount> steps{};
  std::vector<PageChange> changes{};     ///< the first of them, step by step
  std::int64_t all_changes = 0;          ///< how many there are
  std::vector<PageStretch> stretches{};  ///< of steps that changed something
  std::vector<PageFlow> flow{};
  Origin origin{};
  std::string made_at{};  ///< told only when it is given
};

/// Throws Error of kind usage when a report's file does not end in .html or .htm.
void check_report_path(const std::string& path);

/// The page, in the order in which a reader asks: whether the sources can be trusted, when things
/// happened, what each column is like, what its means are by the calendar, what was done, and where
/// it came from. Of more strands and columns than 24 the worst are drawn, and the others told in a
/// table. It can be read as it stands; with scripts the columns can be zoomed into and the means
/// opened. Cost: some passes over the records.
[[nodiscard]] std::string page_html(const PageContent& content);

}  // namespace v1
}  // namespace zerobeat
