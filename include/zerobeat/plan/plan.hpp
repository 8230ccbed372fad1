/// Plans: sources, steps and outputs in a file, run in one pass and explained.

#pragma once

#include <functional>
#include <map>
#include <string>
#include <vector>
#include <zerobeat/io/limits.hpp>
#include <zerobeat/io/read.hpp>
#include <zerobeat/io/write.hpp>
#include <zerobeat/plan/figure.hpp>
#include <zerobeat/plan/step.hpp>

namespace zerobeat {

struct PlanSource {
  std::string name{};
  std::string file{};  ///< resolved against the plan's folder
  ReadOptions read{};
  Limits limits{};
};

struct PlanSeries {
  std::string name{};
  std::vector<std::string> from{};  ///< sources or series; several: the first step is a join
  std::vector<Step> steps{};
};

struct PlanOutput {
  std::string name{};
  std::vector<std::string> from{};  ///< series or sources; several only for a figure
  std::string file{};               ///< where data goes; or
  std::string figure{};             ///< where a picture goes
  WriteOptions write{};
  Figure look{};
};

/// A plan, read and checked. Series stand in an order in which each is made from those before.
struct Plan {
  std::string path{};
  std::vector<PlanSource> sources{};
  std::vector<PlanSeries> series{};
  std::vector<PlanOutput> outputs{};
};

/// Reads a plan file (TOML 1.0). Keys are the options of the tool without their dashes; reading
/// options at the top stand for every source. Throws Error naming file, line and the nearest
/// right key, or the way around when series are made from themselves.
Plan load_plan(const std::string& path);

/// One line of the ledger of a run.
struct LedgerLine {
  std::string series{};  ///< of a source or series
  StepAccount step{};
};

/// Draws a figure into a file; what `plot` of the view does.
using DrawFigure = std::function<void(const std::vector<Timeline>& timelines, const Timeline* over,
                                      const Figure& look, Output& output, const std::string& path)>;

struct RunOptions {
  bool causal = false;       ///< refuse a plan with a step that looks ahead
  DrawFigure draw_figure{};  ///< needed when the plan has figures
};

struct RunResult {
  std::vector<LedgerLine> ledger{};
  std::map<std::string, Timeline> series{};  ///< of every series
  std::vector<std::string> written{};        ///< files, in the order of the plan
};

/// Reads the sources, makes the series, and writes the outputs when all is well: every one, or
/// none. Rejects files are written whatever happens after reading.
/// Throws Error of kind limit when a source has more faults than it may, of kind usage when the
/// plan looks ahead and must not.
RunResult run_plan(const Plan& plan, const RunOptions& options = {});

/// The ledger as a table: a row per step with rows in, rows out, readings filled and clipped, and
/// the time taken.
std::string ledger_text(const std::vector<LedgerLine>& ledger);

/// What a plan would do: for each series its steps, with columns out, reach back, reach ahead,
/// and whether each is causal. Reads the first part of each source, to know its columns.
std::string explain_plan(const Plan& plan);

}  // namespace zerobeat
