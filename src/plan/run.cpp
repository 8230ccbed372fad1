#include <algorithm>
#include <chrono>
#include <filesystem>
#include <map>
#include <optional>
#include <sstream>
#include <zerobeat/plan/plan.hpp>

#include "base/aligned.hpp"

namespace zerobeat {

namespace {

namespace fs = std::filesystem;

void make_folder_of(const std::string& file) {
  const fs::path folder = fs::path(file).parent_path();
  if (folder.empty()) return;
  std::error_code error;
  fs::create_directories(folder, error);
  if (error) fail_output("{}: its folder can't be made: {}", file, error.message());
}

void refuse_looking_ahead(const Plan& plan) {
  for (const auto& series : plan.series) {
    for (const Step& step : series.steps) {
      const Reach own = reach(step);
      if (own.causal()) continue;
      fail_usage("--causal: {}: series {}: {} looks ahead: {}", plan.path, series.name,
                 to_text(step), to_text(own.ahead));
    }
  }
}

/// A source, read, and settled as the series that use it ask.
class SourceRun {
 public:
  SourceRun(const PlanSource& source, std::vector<LedgerLine>& ledger) : source_(source) {
    const auto start = std::chrono::steady_clock::now();
    records_ = read_records(source.file, source.read);
    records_->name = source.name;
    StepAccount step;
    step.step = "read";
    step.what = fs::path(source.file).filename().string();
    step.rows_in = records_->source->records;
    step.rows_out = records_->source->kept;
    step.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    ledger.push_back({source.name, step});
  }

  const Timeline& settled(const Settle& options) {
    for (const auto& [own, timeline] : settled_) {
      if (own == options) return timeline;
    }
    settled_.emplace_back(options, settle(*records_, options));
    return settled_.back().second;
  }

  /// Writes what was set aside, of every way that it was settled, and checks the limits.
  void set_aside() const {
    std::vector<std::shared_ptr<const SourceAccount>> accounts;
    for (const auto& [options, timeline] : settled_) {
      accounts.push_back(timeline.account().sources.front());
    }
    if (accounts.empty()) accounts.push_back(records_->source);
    if (!source_.limits.rejects.empty()) {
      // Settling differs only in what it rejects further.
      const auto most = *std::ranges::max_element(
          accounts, {}, [](const auto& account) { return account->faults.size(); });
      make_folder_of(source_.limits.rejects);
      Output output(source_.limits.rejects);
      write_rejects_header(output);
      write_rejects(*most, output);
      output.commit();
    }
  }

  void check() const {
    if (settled_.empty()) return check_limits(*records_->source, source_.limits);
    for (const auto& [options, timeline] : settled_) {
      check_limits(*timeline.account().sources.front(), source_.limits);
    }
  }

 private:
  const PlanSource& source_;
  std::optional<Records> records_;
  std::vector<std::pair<Settle, Timeline>> settled_;
};

/// Makes every series of a plan.
class PlanRun {
 public:
  PlanRun(const Plan& plan, RunResult& result) : plan_(plan), result_(result) {
    for (const auto& source : plan.sources) {
      sources_.emplace(source.name, SourceRun(source, result.ledger));
    }
    // All ways of settling first: what they reject is set aside before anything can fail.
    for (const auto& series : plan.series) {
      for (const auto& name : series.from) {
        if (const auto source = sources_.find(name); source != sources_.end()) {
          source->second.settled(settling_of(series));
        }
      }
    }
    for (const auto& [name, source] : sources_) source.set_aside();
    for (const auto& [name, source] : sources_) source.check();
    for (const auto& series : plan.series) make(series);
  }

  const Timeline& timeline(const std::string& name) {
    if (const auto made = result_.series.find(name); made != result_.series.end()) {
      return made->second;
    }
    return sources_.at(name).settled(Settle{});
  }

  /// Files of changes that clip steps ask for.
  const std::map<std::string, std::vector<ClipChange>>& changes() const { return changes_; }

 private:
  static Settle settling_of(const PlanSeries& series) {
    if (series.steps.empty()) return {};
    const auto* settle = std::get_if<Settle>(&series.steps[0]);
    return settle == nullptr ? Settle{} : *settle;
  }

  void make(const PlanSeries& series) {
    const auto input = [&](const std::string& name) -> const Timeline& {
      const auto source = sources_.find(name);
      if (source == sources_.end()) return result_.series.at(name);
      return source->second.settled(settling_of(series));
    };
    Timeline timeline = input(series.from[0]);
    std::vector<Timeline> others;
    for (std::size_t i = 1; i < series.from.size(); ++i) others.push_back(input(series.from[i]));
    std::size_t noted = timeline.account().steps.size();
    if (sources_.contains(series.from[0])) noted = 0;  // its settling is a step of this series
    for (const Step& step : series.steps) {
      if (std::holds_alternative<Settle>(step)) continue;
      timeline = apply(timeline, others, step);
    }
    for (std::size_t i = noted; i < timeline.account().steps.size(); ++i) {
      result_.ledger.push_back({series.name, timeline.account().steps[i]});
    }
    result_.series.emplace(series.name, timeline.named(series.name));
  }

  Timeline apply(const Timeline& in, const std::vector<Timeline>& others, const Step& step) {
    if (const auto* own = std::get_if<Resample>(&step)) return resample(in, *own);
    if (const auto* own = std::get_if<Join>(&step)) return join(in, others, *own);
    if (const auto* own = std::get_if<Thin>(&step)) return thin(in, *own);
    if (const auto* own = std::get_if<Reshape>(&step)) return reshape(in, *own);
    if (const auto* own = std::get_if<Fill>(&step)) return fill(in, *own);
    if (const auto* own = std::get_if<Roll>(&step)) return roll(in, *own);
    if (const auto* own = std::get_if<Lag>(&step)) return lag(in, *own);
    const Clip& clipping = std::get<Clip>(step);
    return clip(in, clipping, clipping.changes.empty() ? nullptr : &changes_[clipping.changes]);
  }

  const Plan& plan_;
  RunResult& result_;
  std::map<std::string, SourceRun> sources_;
  std::map<std::string, std::vector<ClipChange>> changes_;
};

std::string seconds_text(double seconds) {
  if (seconds < 1e-3) return fmt::format("{:.0f} us", seconds * 1e6);
  if (seconds < 1) return fmt::format("{:.1f} ms", seconds * 1e3);
  return fmt::format("{:.2f} s", seconds);
}

}  // namespace

RunResult run_plan(const Plan& plan, const RunOptions& options) {
  if (options.causal) refuse_looking_ahead(plan);
  RunResult result;
  PlanRun run(plan, result);

  // Every output is written beside its place; then all are put in place.
  std::vector<Output> outputs;
  const auto open = [&](const std::string& file) -> Output& {
    make_folder_of(file);
    result.written.push_back(file);
    return outputs.emplace_back(file);
  };
  outputs.reserve(plan.outputs.size() + run.changes().size());
  for (const auto& output : plan.outputs) {
    if (!output.file.empty()) {
      write_csv(run.timeline(output.from[0]), open(output.file), output.write);
      continue;
    }
    if (!options.draw_figure) fail_usage("{}: this program draws no figures", output.figure);
    std::vector<Timeline> timelines;
    for (const auto& name : output.from) timelines.push_back(run.timeline(name).named(name));
    const Timeline* over = output.look.over.empty() ? nullptr : &run.timeline(output.look.over);
    options.draw_figure(timelines, over, output.look, open(output.figure), output.figure);
  }
  for (const auto& [file, changes] : run.changes()) write_changes(changes, open(file));
  for (Output& output : outputs) output.commit();
  for (const auto& source : plan.sources) {
    if (!source.limits.rejects.empty()) result.written.push_back(source.limits.rejects);
  }
  return result;
}

std::string ledger_text(const std::vector<LedgerLine>& ledger) {
  std::vector<std::vector<std::string>> rows{
      {"series", "step", "options", "rows in", "rows out", "filled", "clipped", "time"}};
  constexpr std::size_t widest = 60;
  for (const auto& line : ledger) {
    const StepAccount& step = line.step;
    const auto count = [](std::int64_t n) { return n == 0 ? std::string("-") : grouped(n); };
    std::string what = step.what;
    if (what.size() > widest) what = what.substr(0, widest - 1) + "…";
    rows.push_back({line.series, step.step, what, grouped(step.rows_in), grouped(step.rows_out),
                    count(step.cells_filled), count(step.cells_clipped),
                    seconds_text(step.seconds)});
  }
  std::string text = detail::aligned(rows, 3, 8);
  for (const auto& line : ledger) {
    for (const auto& note : line.step.notes) {
      text += fmt::format("\n{}, {}: {}", line.series, line.step.step, note);
    }
  }
  return text;
}

std::string explain_plan(const Plan& plan) {
  Plan head = plan;
  for (auto& source : head.sources) {
    source.read.head_bytes = std::size_t{1} << 20;
    source.limits = {.rejects = "", .tolerate = Tolerable{100, true}};
  }
  for (auto& series : head.series) {
    for (Step& step : series.steps) {
      if (auto* clip = std::get_if<Clip>(&step)) clip->changes.clear();
    }
  }

  std::string out;
  for (const auto& source : plan.sources) {
    out += fmt::format("source {}: {}\n", source.name, source.file);
  }
  // Each series is made step by step from the first part of its sources, to see its columns. What
  // the first part can't tell (which way round its dates are, say) the whole may.
  head.outputs.clear();
  try {
    RunResult tried;
    PlanRun run(head, tried);
  } catch (const Error&) {
    for (auto& source : head.sources) source.read.head_bytes = 0;
  }
  const auto columns_after = [&](const PlanSeries& series, std::size_t steps) {
    Plan part = head;
    for (auto& own : part.series) {
      if (own.name == series.name) own.steps.resize(steps);
    }
    const auto last = std::ranges::find(part.series, series.name, &PlanSeries::name);
    part.series.erase(std::next(last), part.series.end());
    RunResult made;
    PlanRun run(part, made);
    const Timeline& timeline = made.series.at(series.name);
    std::string names = timeline.time_name();
    if (timeline.has_key()) names += " " + timeline.key_name();
    for (const auto& name : timeline.values().names()) names += " " + name;
    return names;
  };
  std::map<std::string, std::string> looks_ahead;  // series that do, and which step
  for (const auto& series : plan.series) {
    out += fmt::format("\nseries {} from {}\n", series.name, fmt::join(series.from, ", "));
    std::vector<std::vector<std::string>> rows{
        {"step", "reach back", "reach ahead", "causal", "columns out"}};
    std::vector<std::string> options{""};
    std::string why;
    for (const auto& from : series.from) {
      if (looks_ahead.contains(from))
        why = fmt::format("{}, which it is made from, looks ahead", from);
    }
    for (std::size_t i = 0; i < series.steps.size(); ++i) {
      const Step& step = series.steps[i];
      const Reach own = reach(step);
      if (!own.causal() && why.empty()) why = fmt::format("{} looks ahead", step_name(step));
      rows.push_back({std::string(step_name(step)), to_text(own.back), to_text(own.ahead),
                      own.causal() ? "yes" : "no", columns_after(series, i + 1)});
      options.push_back(
          to_text(step).substr(std::min(to_text(step).size(), step_name(step).size() + 1)));
    }
    if (series.steps.empty()) {
      rows.push_back({"(none)", "none", "none", "yes", columns_after(series, 0)});
      options.emplace_back();
    }
    // The options of a step stand under it, so that the table stays narrow.
    std::istringstream lines(detail::aligned(rows, 5, 5, "  "));
    for (std::size_t i = 0; i < options.size(); ++i) {
      std::string line;
      std::getline(lines, line);
      out += line + "\n";
      if (!options[i].empty()) out += "      " + options[i] + "\n";
    }
    if (!why.empty()) looks_ahead[series.name] = why;
    out += why.empty() ? "  causal: nothing later than t is used for t\n"
                       : fmt::format("  not causal: {}\n", why);
  }
  for (const auto& output : plan.outputs) {
    out += fmt::format("\noutput {} from {}: {}", output.name, fmt::join(output.from, ", "),
                       output.file.empty() ? output.figure : output.file);
  }
  if (!plan.outputs.empty()) out += "\n";
  return out;
}

}  // namespace zerobeat
