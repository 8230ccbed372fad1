/// A source of a plan: read once, judged, and settled as the series that use it ask.

#pragma once

#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/clean/settle.hpp>
#include <zerobeat/plan/plan.hpp>
#include <zerobeat/plan/report.hpp>

#include "io/source/read_task.hpp"
#include "plan/watching.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Whether two sources of a plan are one file that is read in one way.
bool are_one(const PlanSource& a, const PlanSource& b);

/// What reads the files that steps' options name: when a run begins, and for a look alone.
const InputReader& run_reader();
const InputReader& look_reader();

/// How names of columns that are dates are read.
TimestampOptions reading_of_names(const PlanSource& source);

/// A source of a plan, read once, and settled as the series that use it ask.
class SourceRun {
 public:
  SourceRun(const PlanSource& source, std::optional<std::vector<std::string>> decode,
            const std::optional<TimeRange>& wanted_time = {})
      : source_(source), decode_(std::move(decode)), wanted_time_(wanted_time) {}

  /// Nobody will ask where in its text a record stands.
  void keep_lines_only() { lines_only_ = true; }
  /// Reads it; of `head_bytes` only the beginning, when there are so many.
  void read(Watching& watching, std::size_t head_bytes = 0);
  /// Reads it and applies the one step that looks at it, stretch by stretch. False when it is to be
  /// read as a whole.
  bool read_in_stretches(Watching& watching, const Step& step);
  /// What that step made; unset when the source was not read so, and the second time.
  std::optional<Made> made_in_stretches();
  /// The timeline, settled so. It must have been read.
  const Timeline& settled(const Settle& options);

  /// Lets go of the records: every way of settling them was asked for.
  void let_go();

  /// The account of the reading, with what settling rejected further.
  std::shared_ptr<const SourceAccount> account() const;
  /// Tables beside its timelines, such as the records that were merged.
  std::vector<SideTable>& beside() { return beside_; }
  /// The steps that made its timelines.
  const std::vector<StepAccount>& steps() const { return steps_; }

  /// The judgement of its records, read for that alone.
  /// With `tune` the clocks of its strands are compared by that column, too.
  Judgement judged(const JudgeOptions& judging, Watching& watching, const std::string& tune);

  /// As a page shows it; before its records are let go of.
  PageSource page() const;
  void set_aside(bool make_folder) const;
  /// Throws Error of kind limit.
  void check() const;
  const PlanSource& source() const { return source_; }

 private:
  ReadTask task(Watching& watching) const;
  const Source& opened();
  void take_records(Records records, double seconds);
  Timeline first_timeline();
  void note(StepAccount step);
  void take_settled(const Settle& options, Made made);

  PlanSource source_;
  std::optional<Source> file_{};  ///< while it is read or judged
  std::optional<std::vector<std::string>> decode_;
  std::optional<TimeRange> wanted_time_;
  std::optional<Records> records_{};
  std::shared_ptr<const SourceAccount> read_{};
  std::optional<Timeline> long_rows_{};  // of columns that are dates
  std::vector<std::pair<Settle, Timeline>> settled_{};
  std::vector<StepAccount> steps_{};
  std::vector<SideTable> beside_{};
  std::optional<StretchWork> stretched_{};  ///< a step that has had all rows
  bool judging_ = false, judge_only_ = false, lines_only_ = false;
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
