/// Making the series of a plan: sources read and settled, steps applied in order.

#pragma once

#include <exception>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/clean/settle.hpp>
#include <zerobeat/plan/plan.hpp>
#include <zerobeat/plan/report.hpp>

#include "plan/source_run.hpp"
#include "plan/step_changes.hpp"
#include "plan/watching.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// What a name of the plan stands for once it is made.
struct Product {
  std::optional<Timeline> timeline{};
  std::optional<Table> table{};
  Zone zone{};
  std::string made_by{};     ///< the last step; empty: none
  MaterialMaker material{};  ///< that it handed on to be drawn
};

/// What is told of a mistake before its text: file and line, series and step.
/// `stands_in` is the file that the plan includes it from; empty: the plan's own.
std::string place_of(const Plan& plan, std::int64_t line, const std::string& series,
                     std::string_view step, const std::string& stands_in = {});

/// The plan with `reshape` made an option of the source, where a series begins with one into long,
/// and its file's columns are dates.
Plan with_date_columns(const Plan& plan);

/// Something that is wrong in a plan, or with its data.
struct Mistake {
  std::int64_t line = 0;  ///< in the plan's file; 0: unknown
  Error error;
  std::exception_ptr cause{};
};

/// What the beginnings of a plan's sources show to be wrong in its series.
std::vector<Mistake> mistakes_of_data(const Plan& plan);

/// The names of a product's columns, time and key first.
std::vector<std::string> columns_of(const Product& product);

/// All that a plan makes before anything is written.
class Making {
 public:
  Making(const Plan& plan, Watching& watching);

  /// Reads and settles every source. Rejects are set aside whatever happens. Throws Error of kind
  /// limit when one is passed; the account is right then, too.
  void read_sources();
  /// Reads the first part of every source, for a look; no limit is checked and nothing set aside.
  /// Returns what could not be looked at: name and why.
  std::map<std::string, std::string> read_heads(std::size_t bytes);

  /// Makes every series. `after_step` is told of each product of a step; mistakes are gathered.
  using AfterStep = std::function<void(const PlanSeries&, std::size_t step, const Product&)>;
  void make_series(const AfterStep& after_step = {});

  /// What a name stands for; null when a mistake kept it from being made.
  const Product* product(const std::string& name);

  /// To be called where the error was caught, which becomes the mistake's cause.
  void add_mistake(const std::string& place, const Error& error, std::int64_t line = 0);
  /// Throws one Error with all mistakes, when there are some; the first's cause is nested in it.
  void check_mistakes() const;

  const std::vector<Mistake>& mistakes() const { return mistakes_; }

  Account account() const;
  /// The sources of those names (none: all), as a page shows them. They are kept for it when a
  /// plan has a report.
  std::vector<PageSource> page_sources(const std::vector<std::string>& names) const;
  /// The series of those names (none: all) that are timelines, as a page shows them.
  std::vector<PageSource> page_series(const std::vector<std::string>& names) const;
  /// What steps changed; it is kept when a plan has a report.
  void put_changes(PageContent& content) const;
  std::vector<SideTable>& beside() { return beside_; }
  std::map<std::string, Product>& series() { return made_; }
  /// Steps that are noted besides those that were made here, such as figures.
  void note(StepAccount step) { steps_.push_back(std::move(step)); }

 private:
  SourceRun* source(const std::string& name);
  const InputReader& reader() const;
  bool settles_first(const PlanSeries& series) const;
  Settle settling_of(const PlanSeries& series) const;
  const Step* only_step_on(const PlanSource& source) const;
  Made made_by(const PlanSeries& series, std::size_t i, std::span<const Timeline> in);
  bool stands_for(const std::string& name, const PlanSource& source) const;
  std::optional<std::vector<std::string>> columns_needed(const PlanSource& source) const;
  std::optional<TimeRange> time_needed(const PlanSource& source) const;
  bool needs_places(const PlanSource& source) const;
  Made applied(const PlanSeries& series, std::size_t step, const Step& prepared,
               std::span<const Timeline> in) const;
  bool is_only_drawn(const std::string& series) const;
  bool is_made_of(const std::string& series, const std::string& source) const;
  void make(const PlanSeries& series, const AfterStep& after_step);

  const Plan& plan_;
  Watching& watching_;
  bool has_report_ = false;
  std::map<const SourceRun*, PageSource> pages_;
  bool looks_ = false;  // at the beginnings of the sources, for a look alone
  std::vector<SourceRun> runs_;
  std::map<std::string, std::size_t> run_of_;  // of each source's name
  std::map<std::string, Product> made_;
  std::map<std::string, Product> plain_;  // sources that are used as they are
  std::set<std::string> failed_;
  std::vector<StepAccount> steps_;
  StepChanges changes_;
  std::vector<SideTable> beside_;
  std::vector<Mistake> mistakes_;
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
