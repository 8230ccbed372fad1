#include <sys/ioctl.h>
#include <unistd.h>

#include <cstdio>
#include <cstdlib>
#include <filesystem>

#include "command.hpp"
#include "sources.hpp"

namespace zerobeat::tool {

namespace {

constexpr const char* one_file = "FILE: what to read; - is standard input";

template <typename... Structs>
OptionGroup group_of(std::string title, Structs&... structs) {
  OptionGroup group{std::move(title), {}};
  const auto add = [&](auto& options) {
    for (auto& option : bind_options(options)) group.options.push_back(std::move(option));
  };
  (add(structs), ...);
  return group;
}

void tell(bool quiet, const std::string& text) {
  if (!quiet) fmt::print(stderr, "{}\n", text);
}

/// As wide as the terminal that the report goes to, in colour where that is welcome.
ReportLook terminal_look() {
  winsize size{};
  if (isatty(STDERR_FILENO) == 0 || ioctl(STDERR_FILENO, TIOCGWINSZ, &size) != 0) return {};
  const char* no_color = std::getenv("NO_COLOR");
  return {.width = size.ws_col, .color = no_color == nullptr || *no_color == '\0'};
}

/// Writes a table without a time of its own, its account, and tells it.
void write_table(const ProfileTable& made, const Target& target, const WriteOptions& write,
                 const General& general) {
  Output output(target.output);
  write_csv(made.table, output, write, made.zone);
  output.commit();
  write_account(general.account, made.account);
  tell(general.quiet, to_text(made.account));
}

/// A command that reads records.
class ReadingCommand : public Command {
 public:
  ReadingCommand(std::string name, std::string help, std::string operands)
      : Command(std::move(name), std::move(help), std::move(operands)) {}

 protected:
  void add_reading() { groups_.push_back(group_of(reading_title, read_, limits_)); }
  void add_general() { groups_.push_back(group_of("general", general)); }

  std::vector<SourceFile> sources(std::size_t least, std::size_t most) const {
    if (files_.size() < least) {
      fail_usage("{}: name {}; - is standard input", name(),
                 least == 1 ? "a file to read" : fmt::format("at least {} files to read", least));
    }
    if (files_.size() > most) {
      fail_usage("{}: reads one file, not {}: {}", name(), files_.size(), fmt::join(files_, ", "));
    }
    return sources_of(files_, reading_given_);
  }

  ReadOptions read_;  // what is declared; the values are each file's own
  Limits limits_;
};

constexpr std::size_t any_number = 10'000;

class Check : public ReadingCommand {
 public:
  Check()
      : ReadingCommand("check", "read and judge; print the account and the findings",
                       "FILE…: what to read; - is standard input") {
    groups_.push_back(group_of("check", options_));
    add_reading();
    add_general();
  }

  void run() override {
    auto sources = this->sources(1, any_number);
    for (SourceFile& source : sources) {
      // Strands and late decisions need the columns; else they are judged as they are read.
      source.read.judge_only = source.read.key.empty() && source.read.repeated != Repeated::order;
    }
    const JudgeOptions judging{
        .gap_factor = options_.gap_factor,
        .calendar = read_calendar(options_.days),
        .now = std::chrono::time_point_cast<Nanoseconds>(std::chrono::system_clock::now())};
    const auto records = read_all(sources, general.quiet);
    std::vector<std::shared_ptr<const SourceAccount>> accounts;
    std::string json;
    for (std::size_t i = 0; i < records.size(); ++i) {
      accounts.push_back(records[i].source);
      const Judgement judgement = judge(records[i], judging);
      if (options_.json) {
        json += (i == 0 ? "" : ",\n") + report_json(judgement);
      } else {
        tell(general.quiet, (i == 0 ? "" : "\n") + report_text(judgement, terminal_look()));
      }
    }
    set_aside(sources, accounts);
    write_account(general.account, {accounts, {}});
    if (options_.json) {
      Output output("-");
      output.write(records.size() == 1 ? json : "[" + json + "]\n");
      output.commit();
    }
    for (std::size_t i = 0; i < sources.size(); ++i) check_limits(*accounts[i], sources[i].limits);
  }

 private:
  CheckOptions options_;
};

/// Reads one file, takes one step, writes.
template <typename Options>
class StepCommand : public ReadingCommand {
 public:
  StepCommand() : ReadingCommand(std::string(Options::name), std::string(Options::help), one_file) {
    groups_.push_back(group_of(std::string(Options::name), options_));
    add_reading();
    groups_.push_back(group_of("writing", target_, write_));
    add_general();
  }

  void run() override {
    auto sources = this->sources(1, 1);
    Settle settling;
    if constexpr (std::same_as<Options, Settle>) settling = options_;
    Timeline timeline = timelines_of(sources, settling, general.quiet, general.account)[0];
    std::vector<ClipChange> changes;
    if constexpr (std::same_as<Options, Clip>) {
      timeline = clip(timeline, options_, options_.changes.empty() ? nullptr : &changes);
    } else if constexpr (!std::same_as<Options, Settle>) {
      timeline = timeline | options_;
    }
    Output output(target_.output);
    std::optional<Output> changes_output;
    if constexpr (std::same_as<Options, Clip>) {
      if (!options_.changes.empty()) {
        changes_output.emplace(options_.changes);
        write_changes(changes, *changes_output);
      }
    }
    write_csv(timeline, output, write_);
    if (changes_output) changes_output->commit();
    output.commit();
    write_account(general.account, timeline.account());
    tell(general.quiet, to_text(timeline.account()));
  }

 private:
  Options options_;
  Target target_;
  WriteOptions write_;
};

/// Writes a timeline, its account, and tells it.
void write_and_tell(const Timeline& timeline, const Target& target, const WriteOptions& write,
                    const General& general) {
  write_csv(timeline, target.output, write);
  write_account(general.account, timeline.account());
  tell(general.quiet, to_text(timeline.account()));
}

/// Resamples one file, or several into one table: each with the takes that are its own.
class ResampleCommand : public ReadingCommand {
 public:
  ResampleCommand()
      : ReadingCommand(std::string(Resample::name), std::string(Resample::help),
                       "FILE…: what to read; of several, reading options and --take are for all, "
                       "or, as NAME:value, for one (NAME is the file's stem)") {
    groups_.push_back(group_of("resample", options_));
    groups_.back().options_of_files = {"take"};
    add_reading();
    groups_.push_back(group_of("writing", target_, write_));
    add_general();
  }

  void run() override {
    auto sources = this->sources(1, any_number);
    if (options_.days.given()) options_.calendar = read_calendar(options_.days);
    std::vector<std::vector<Take>> takes = takes_of(sources);
    for (std::size_t i = 0; i < sources.size(); ++i) {
      // Only the columns that the takes name are kept in memory; all are judged.
      sources[i].read.decode = columns_needed(takes[i]);
    }
    const auto timelines = timelines_of(sources, Settle{}, general.quiet, general.account);
    if (options_.by_value) return write_by_value(timelines, takes[0]);
    std::vector<Timeline> resampled;
    for (std::size_t i = 0; i < timelines.size(); ++i) {
      Resample own = options_;
      own.take = takes[i];
      resampled.push_back(resample(timelines[i], own));
    }
    if (resampled.size() == 1) return write_and_tell(resampled[0], target_, write_, general);
    if (options_.every && options_.every->levels.size() > 1) {
      fail_usage("resample: several files go with one level of --every, not with {}",
                 to_text(*options_.every));
    }
    const Join together{.match = Join::Match::exact, .keep = Join::Keep::all};
    write_and_tell(join(resampled[0], std::span<const Timeline>(resampled).subspan(1), together),
                   target_, write_, general);
  }

 private:
  std::vector<std::vector<Take>> takes_of(const std::vector<SourceFile>& sources) const {
    std::vector<std::string> names;
    for (const auto& source : sources) names.push_back(source.name);
    std::vector<std::vector<Take>> takes(sources.size());
    const auto given = of_files_given_.find("take");
    if (given == of_files_given_.end()) return takes;
    for (std::size_t i = 0; i < sources.size(); ++i) {
      const auto text = value_for("take", names[i], names, given->second);
      try {
        if (text) from_text(*text, takes[i]);
      } catch (const Error& error) {
        throw Error(error.kind(), fmt::format("resample: --take {}: {}", *text, error.what()));
      }
    }
    return takes;
  }

  std::optional<std::vector<std::string>> columns_needed(const std::vector<Take>& takes) const {
    auto names = columns_of(takes);
    if (!names) return names;
    if (options_.by_sum) names->push_back(options_.by_sum->column);
    if (options_.by_value) names->push_back(options_.by_value->column);
    return names;
  }

  void write_by_value(const std::vector<Timeline>& timelines, const std::vector<Take>& takes) {
    if (timelines.size() > 1) fail_usage("resample: --by-value goes with one file");
    const Resample plain{.by_value = options_.by_value, .empty = options_.empty};
    if (options_ != plain) {
      fail_usage(
          "resample: --by-value goes with --take and --empty, and no other way of resampling");
    }
    const ProfileTable table = profile(
        timelines[0],
        {.by = {{Part::Kind::value, *options_.by_value}}, .take = takes, .empty = options_.empty});
    write_table(table, target_, write_, general);
  }

  Resample options_;
  Target target_;
  WriteOptions write_;
};

/// Statistics by part of the calendar.
class ProfileCommand : public ReadingCommand {
 public:
  ProfileCommand()
      : ReadingCommand(std::string(Profile::name), std::string(Profile::help), one_file) {
    groups_.push_back(group_of("profile", options_));
    add_reading();
    groups_.push_back(group_of("writing", target_, write_));
    add_general();
  }

  void run() override {
    auto sources = this->sources(1, 1);
    auto needed = columns_of(options_.take);
    if (needed) {
      for (const Part& part : options_.by) {
        if (part.kind == Part::Kind::value) needed->push_back(part.amount.column);
      }
    }
    sources[0].read.decode = needed;
    const auto timelines = timelines_of(sources, Settle{}, general.quiet, general.account);
    write_table(profile(timelines[0], options_), target_, write_, general);
  }

 private:
  Profile options_;
  Target target_;
  WriteOptions write_;
};

/// Keys into columns, columns into keys, and columns that are times into rows.
class ReshapeCommand : public ReadingCommand {
 public:
  ReshapeCommand()
      : ReadingCommand(std::string(Reshape::name), std::string(Reshape::help), one_file) {
    groups_.push_back(group_of("reshape", options_));
    add_reading();
    groups_.push_back(group_of("writing", target_, write_));
    add_general();
  }

  void run() override {
    auto sources = this->sources(1, 1);
    const TimestampOptions names{.format = sources[0].read.time_format,
                                 .zone = sources[0].read.zone,
                                 .repeated = Repeated::earlier,
                                 .skipped = Skipped::forward};
    if (options_.into == Reshape::Into::long_rows && sources[0].read.time.empty() &&
        columns_are_times(sources[0], names)) {
      sources[0].read.untimed = true;
      sources[0].read.time_format = {};
      const auto records = read_all(sources, general.quiet);
      set_aside(sources, {records[0].source});
      check_limits(*records[0].source, sources[0].limits);
      return write_and_tell(columns_as_times(records[0], options_, names), target_, write_,
                            general);
    }
    const auto timelines = timelines_of(sources, Settle{}, general.quiet, general.account);
    write_and_tell(reshape(timelines[0], options_), target_, write_, general);
  }

 private:
  /// Whether the header says so. Standard input can be read only once; there it is not asked.
  static bool columns_are_times(const SourceFile& source, const TimestampOptions& names) {
    if (source.path == "-") return false;
    ReadOptions head = source.read;
    head.untimed = true;
    head.time_format = {};
    head.head_bytes = std::size_t{1} << 16;
    const Records records = read_records(source.path, head);
    return has_times_for_columns(records.values.names(), names);
  }

  Reshape options_;
  Target target_;
  WriteOptions write_;
};

/// Reads records without times, stamps them, writes.
class StampCommand : public ReadingCommand {
 public:
  StampCommand() : ReadingCommand(std::string(Stamp::name), std::string(Stamp::help), one_file) {
    groups_.push_back(group_of(std::string(Stamp::name), options_, days_));
    add_reading();
    groups_.push_back(group_of("writing", target_, write_));
    add_general();
  }

  void run() override {
    auto sources = this->sources(1, 1);
    ReadOptions& read = sources[0].read;
    if (!read.time.empty()) {
      fail_usage("stamp: --time {}: stamp is for records without a time; see settle", read.time);
    }
    const Calendar calendar = read_calendar(days_);
    read.untimed = true;
    const auto records = read_all(sources, general.quiet);
    set_aside(sources, {records[0].source});
    write_account(general.account, records[0].account());
    check_limits(*records[0].source, sources[0].limits);
    const Timeline timeline = settle(stamp(records[0], options_, calendar));
    Account account = timeline.account();
    const auto rows = static_cast<std::int64_t>(records[0].size());
    account.steps.insert(account.steps.begin(), {.step = std::string(Stamp::name),
                                                 .what = describe_options(options_),
                                                 .rows_in = rows,
                                                 .rows_out = rows});
    write_csv(timeline, target_.output, write_);
    write_account(general.account, account);
    tell(general.quiet, to_text(account));
  }

 private:
  Stamp options_;
  WorkingDays days_;
  Target target_;
  WriteOptions write_;
};

class JoinCommand : public ReadingCommand {
 public:
  JoinCommand()
      : ReadingCommand(std::string(Join::name), std::string(Join::help),
                       "LEFT RIGHT…: what to read; a reading option is for all, or, as "
                       "NAME:value, for one (NAME is the file's stem)") {
    groups_.push_back(group_of(std::string(Join::name), options_));
    add_reading();
    groups_.push_back(group_of("writing", target_, write_));
    add_general();
  }

  void run() override {
    auto sources = this->sources(2, any_number);
    auto timelines = timelines_of(sources, Settle{}, general.quiet, general.account);
    const Timeline joined =
        join(timelines[0], std::span<const Timeline>(timelines).subspan(1), options_);
    write_csv(joined, target_.output, write_);
    write_account(general.account, joined.account());
    tell(general.quiet, to_text(joined.account()));
  }

 private:
  Join options_;
  Target target_;
  WriteOptions write_;
};

class PlotCommand : public ReadingCommand {
 public:
  PlotCommand()
      : ReadingCommand("plot", "a picture (PNG or SVG)",
                       "FILE…: what to draw; a reading option is for all, or, as NAME:value, for "
                       "one (NAME is the file's stem)") {
    target_.output.clear();
    groups_.push_back(group_of("plot", target_, options_));
    add_reading();
    add_general();
  }

  void run() override {
    if (target_.output.empty()) fail_usage("plot: say where the picture goes: -o FIGURE.png");
    if (!options_.over.empty()) files_.push_back(options_.over);
    auto sources = this->sources(1, any_number);
    auto timelines = timelines_of(sources, Settle{}, general.quiet, general.account);
    std::optional<Timeline> over;
    if (!options_.over.empty()) {
      over = timelines.back();
      timelines.pop_back();
    }
    Output output(target_.output);
    const auto notes = plot(timelines, over ? &*over : nullptr, options_, output, target_.output);
    output.commit();
    Account drawn;
    for (const auto& timeline : timelines) {
      const Account& own = timeline.account();
      drawn.sources.insert(drawn.sources.end(), own.sources.begin(), own.sources.end());
      drawn.steps.insert(drawn.steps.end(), own.steps.begin(), own.steps.end());
      tell(general.quiet, to_text(own));
    }
    for (const auto& note : notes) tell(general.quiet, "plot: " + note);
    write_account(general.account, drawn);
  }

 private:
  Figure options_;
  Target target_;
};

RunOptions drawing(bool causal) {
  return {.causal = causal,
          .draw_figure = [](const std::vector<Timeline>& timelines, const Timeline* over,
                            const Figure& look, Output& output, const std::string& path) {
            plot(timelines, over, look, output, path);
          }};
}

void run_and_tell(const std::string& path, bool causal, const General& general) {
  const RunResult result = run_plan(load_plan(path), drawing(causal));
  if (!general.account.empty()) {
    std::map<std::string, Account> accounts;
    for (const auto& [name, timeline] : result.series) accounts[name] = timeline.account();
    Output output(general.account);
    output.write(account_json(accounts));
    output.commit();
  }
  const bool quiet = general.quiet;
  std::string text = ledger_text(result.ledger);
  for (const auto& file : result.written) text += "\nwrote " + file;
  tell(quiet, text);
}

class RunCommand : public Command {
 public:
  RunCommand() : Command("run", "a whole plan in one pass; prints the ledger", "PLAN.toml") {
    groups_.push_back(group_of("run", flags_));
    groups_.push_back(group_of("general", general));
  }
  void run() override {
    if (files_.size() != 1) fail_usage("run: name one plan: run PLAN.toml");
    run_and_tell(files_[0], flags_.causal, general);
  }

 private:
  RunFlags flags_;
};

class ExplainCommand : public Command {
 public:
  ExplainCommand() : Command("explain", "what a plan would do", "PLAN.toml") {
    groups_.push_back(group_of("general", general));
  }
  void run() override {
    if (files_.size() != 1) fail_usage("explain: name one plan: explain PLAN.toml");
    if (!general.account.empty()) {
      fail_usage("explain: --account {}: nothing is done, so there is no account; see run",
                 general.account);
    }
    Output output("-");
    output.write(explain_plan(load_plan(files_[0])));
    output.commit();
  }
};

class DemoCommand : public Command {
 public:
  DemoCommand()
      : Command("demo", "write the demo data and plan into a folder and run it",
                "FOLDER: where to; zerobeat-demo unless named") {
    groups_.push_back(group_of("general", general));
  }
  void run() override {
    if (files_.size() > 1) fail_usage("demo: name one folder: demo FOLDER");
    const std::string folder = files_.empty() ? "zerobeat-demo" : files_[0];
    write_harbour(folder);
    tell(general.quiet, fmt::format("the harbour's records and its plan are in {}\n", folder));
    run_and_tell((std::filesystem::path(folder) / "plan.toml").string(), false, general);
  }
};

}  // namespace

std::vector<std::unique_ptr<Command>> all_commands() {
  std::vector<std::unique_ptr<Command>> commands;
  commands.push_back(std::make_unique<Check>());
  commands.push_back(std::make_unique<StepCommand<Settle>>());
  commands.push_back(std::make_unique<StampCommand>());
  commands.push_back(std::make_unique<ResampleCommand>());
  commands.push_back(std::make_unique<ProfileCommand>());
  commands.push_back(std::make_unique<StepCommand<Thin>>());
  commands.push_back(std::make_unique<ReshapeCommand>());
  commands.push_back(std::make_unique<JoinCommand>());
  commands.push_back(std::make_unique<StepCommand<Fill>>());
  commands.push_back(std::make_unique<StepCommand<Clip>>());
  commands.push_back(std::make_unique<StepCommand<Roll>>());
  commands.push_back(std::make_unique<StepCommand<Lag>>());
  commands.push_back(std::make_unique<PlotCommand>());
  commands.push_back(std::make_unique<RunCommand>());
  commands.push_back(std::make_unique<ExplainCommand>());
  commands.push_back(std::make_unique<DemoCommand>());
  return commands;
}

}  // namespace zerobeat::tool
