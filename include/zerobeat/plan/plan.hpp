/// Plans: sources, steps and outputs, run in one pass and explained.
///
/// There is one road: a command line becomes a Plan, a plan file becomes a Plan, a program builds
/// one, and run_plan() does the work.

#pragma once

#include <concepts>
#include <cstdint>
#include <functional>
#include <map>
#include <optional>
#include <span>
#include <stop_token>
#include <string>
#include <vector>
#include <zerobeat/align/reshape.hpp>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/threads.hpp>
#include <zerobeat/clean/stamp.hpp>
#include <zerobeat/io/limits.hpp>
#include <zerobeat/io/read.hpp>
#include <zerobeat/io/write.hpp>
#include <zerobeat/judge/judge.hpp>
#include <zerobeat/plan/step.hpp>
#include <zerobeat/view/figure.hpp>
#include <zerobeat/view/plot.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

struct PlanSource {
  std::string name{};
  InFile file{};  ///< resolved against the plan's folder
  ReadOptions read{};
  Limits limits{};
  std::optional<Stamp> stamp{};      ///< for records that carry no time
  std::optional<Reshape> reshape{};  ///< for a file whose columns are dates
  std::int64_t line = 0;             ///< in the plan's file; 0: in none
};

struct PlanStep {
  Step step;
  std::int64_t line = 0;
};

struct PlanSeries {
  std::string name{};
  std::vector<std::string> from{};  ///< sources or series
  std::string called{};             ///< its name where columns clash; empty: `name`
  std::string stands_in{};          ///< the file that the plan includes; empty: the plan's own
  std::vector<PlanStep> steps{};
  std::int64_t line = 0;
};

struct PlanOutput {
  /// Where it goes, whatever it is.
  [[nodiscard]] const OutFile& place() const {
    return !file.empty() ? file : !figure.empty() ? figure : report;
  }

  std::string name{};
  std::vector<std::string> from{};  ///< series or sources; several only for a figure
  std::string stands_in{};          ///< the file that the plan includes; empty: the plan's own
  OutFile file{};                   ///< where data goes; or
  OutFile figure{};                 ///< where a picture goes; or
  OutFile report{};                 ///< where a page goes: of all sources and series unless named
  std::string made_at{};            ///< of a report: when it was made, if that is to be told
  WriteOptions write{};
  Figure look{};
  std::int64_t line = 0;
};

/// What is to be done. Series stand in an order in which each is made from those before. A value;
/// several threads may run one at the same time, if its outputs are not the same files.
struct Plan {
  InFile path{};                   ///< its file; empty: it has none
  std::vector<InFile> included{};  ///< files whose keys stand in it
  std::vector<PlanSource> sources{};
  std::vector<PlanSeries> series{};
  std::vector<PlanOutput> outputs{};
};

/// A statistic of a program's own: of the readings, or of their times and them.
struct NamedStatistic {
  OwnStatistic function{};

  NamedStatistic() = default;
  template <std::invocable<std::span<const double>> Function>
  NamedStatistic(Function of)  // NOLINT: meant to convert
      : function([of](std::span<const Instant>, std::span<const double> readings) {
          return static_cast<double>(of(readings));
        }) {}
  template <std::invocable<std::span<const Instant>, std::span<const double>> Function>
  NamedStatistic(Function of) : function(std::move(of)) {}  // NOLINT
};

/// What a plan may name besides what the library has.
struct LoadOptions {
  std::vector<StepKind> steps{};  ///< a program's own; one of a standard name stands in for it
  std::map<std::string, NamedStatistic> statistics{};  ///< for takes: surge(level_m)
};

/// Reads a plan file (TOML 1.0). Keys are the options of the tool without their dashes; reading
/// options at the top stand for every source. Steps and statistics are the standard ones and those
/// of the options.
/// Throws one Error with all mistakes, each with file, line, series and step, and the nearest right
/// key.
[[nodiscard]] Plan load_plan(const std::string& path, const LoadOptions& options = {});

/// The same; when there are mistakes, the beginnings of the sources are looked at, too, and what
/// they show of the series that have none (a column that is not there) is told with the others.
[[nodiscard]] Plan load_plan_and_look(const std::string& path, const LoadOptions& options = {});

/// The plan as TOML that load_plan() reads back, with paths relative to `folder`.
[[nodiscard]] std::string plan_text(const Plan& plan, const std::string& folder);

/// How far a run is.
struct Progress {
  std::string series{};  ///< that is being made; while a source is read, the source
  std::string step{};    ///< that is being applied; "read" and "write" before and after
  double share = 0;      ///< of the whole run that is done, from 0 to 1; it never goes back
};

struct RunOptions {
  bool causal = false;         ///< refuse a plan with a step that looks ahead
  OutFile account{};           ///< also write the account, as JSON
  OutFile as_plan{};           ///< also write the plan itself
  std::size_t text_width = 0;  ///< of the terminal that standard output is: a table that goes there
                               ///< is aligned, for people; 0: it is none
  TerminalLook terminal{};     ///< how a picture looks that goes there
  /// Told how far the run is, at every step and some times a second while sources are read. Called
  /// from one thread at a time, not always the same; what it throws ends the run, and is thrown on.
  std::function<void(const Progress& progress)> progress{};
  /// When a stop is asked for, the run ends within a moment by throwing Stopped: nothing is written
  /// but rejects that were set aside before.
  std::stop_token stop{};
  int threads = 0;  ///< that work side by side; 0: as many as there are processors
};

struct RunResult {
  Account account{};                         ///< each source and each step once
  std::map<std::string, Timeline> series{};  ///< of every series that is a timeline
  std::map<std::string, Table> tables{};     ///< of every series that is a table
  std::vector<std::string> written{};        ///< files, in the order of the plan
  bool reader_gone = false;                  ///< who read standard output went away early
};

/// Reads the sources, makes the series, and writes the outputs when all is well: every one, or
/// none. Rejects files are written whatever happens after reading, and so is the account when a
/// limit was passed. Reads only the columns that are needed.
///
/// Before anything is read, the paths of the run are judged: the same file as input and output, or
/// twice as output, is refused. Throws Error of kind limit when a source has more faults than it
/// may; of kind usage with all mistakes that the data shows, the first of each series.
RunResult run_plan(const Plan& plan, const RunOptions& options = {});

/// What judging came to.
struct Judged {
  std::vector<Judgement> judgements{};  ///< of each source
  std::optional<Error> passed_limit{};  ///< when a source has more faults than it may
};

/// Reads and judges the sources of a plan. Rejects are set aside, and the account is written, also
/// when a limit was passed. Throws Error as run_plan() does.
/// With `tune`, the clocks of each source's strands are compared by that column (clock_findings()).
Judged judge_sources(const Plan& plan, const JudgeOptions& judging, const RunOptions& options = {},
                     const std::string& tune = {});

/// The ledger of a run as a table: a row per source and step with rows in, rows out, records
/// rejected, readings filled and clipped, and the time taken; the notes below.
[[nodiscard]] std::string ledger_text(const Account& account);

/// What a plan would do: for each series its steps, with columns out, reach back, reach ahead,
/// and whether each is causal. Reads the first part of each source, once, to know its columns;
/// what is no regular file is not looked at. Writes nothing.
[[nodiscard]] std::string explain_plan(const Plan& plan);

}  // namespace v1
}  // namespace zerobeat
