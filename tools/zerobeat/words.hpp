/// The words of a command line: parts between lone +, each a command with its options and files.

#pragma once

#include <map>
#include <string>
#include <vector>
#include <zerobeat/plan/plan.hpp>

namespace zerobeat::tool {

/// Options under one heading.
struct OptionGroup {
  std::string title;
  std::vector<BoundOption> options;
};

/// One part of the command line, as it was given.
struct ChainPart {
  std::string command;
  std::vector<std::string> files{};
  std::map<std::string, std::vector<std::string>> given{};  ///< option to values, in order
  bool help = false;
};

/// What every command takes.
struct General {
  bool quiet = false;
  std::optional<std::int64_t> threads{};
  OutFile account{};
};

template <typename Visitor, OptionsOf<General> O>
void fields(Visitor&& visit, O& o) {
  visit("quiet", o.quiet, "", "say nothing but errors");
  visit("threads", o.threads, "N", "use so many threads; unset: one a core");
  visit("account", o.account, "FILE",
        "write the account as JSON: what became of the records, and what each step did");
}

/// What every command takes that can be a plan.
struct Planned {
  OutFile as_plan{};
  OutFile report{};
};

template <typename Visitor, OptionsOf<Planned> O>
void fields(Visitor&& visit, O& o) {
  visit("as-plan", o.as_plan, "FILE", "also write the plan that does the same");
  visit("report", o.report, "FILE", "also write a page on the sources' health (.html)");
}

/// Where data goes.
struct Target {
  OutFile output{"-"};
};

template <typename Visitor, OptionsOf<Target> O>
void fields(Visitor&& visit, O& o) {
  visit("output", o.output, "FILE", "where the data goes (-o); - is standard output");
}

/// What only `check` takes.
struct CheckOptions {
  bool json = false;
  double gap_factor = 3;
  std::string tune{};
  WorkingDays days{};
};

template <typename Visitor, OptionsOf<CheckOptions> O>
void fields(Visitor&& visit, O& o) {
  visit("json", o.json, "", "the report as JSON");
  visit("gap-factor", o.gap_factor, "X", "a gap is a step longer than so many typical ones");
  visit("tune", o.tune, "COLUMN",
        "compare the clocks of the strands by a column that all of them see");
  fields(visit, o.days);
}

/// What only `report` takes.
struct ReportOptions {
  std::string made_at{};
};

template <typename Visitor, OptionsOf<ReportOptions> O>
void fields(Visitor&& visit, O& o) {
  visit("made-at", o.made_at, "T", "say on the page when it was made; unset: it tells no time");
}

/// What only `run` takes.
struct RunFlags {
  bool causal = false;
};

template <typename Visitor, OptionsOf<RunFlags> O>
void fields(Visitor&& visit, O& o) {
  visit("causal", o.causal, "", "refuse a plan with a step that looks ahead");
}

/// A command: its name, what it does, what it is given. The options are bound to objects that last
/// as long as the program, and hold the defaults.
struct Command {
  enum class Kind { check, stamp, step, plot, report, run, explain, demo };

  std::string name;
  std::string help;
  std::string operands;
  std::string example;
  Kind kind = Kind::step;
  std::vector<OptionGroup> groups{};
  std::vector<std::string> statistics{};
};

/// Every command, in the order of the work.
const std::vector<Command>& all_commands();
/// The command of that name. Throws Error naming the nearest.
const Command& command_of(const std::string& name);

inline constexpr const char* reading_title = "reading";
inline constexpr const char* writing_title = "writing";
inline constexpr const char* general_title = "general";

/// Splits words at lone + and reads each part. Throws Error of kind usage.
std::vector<ChainPart> read_parts(const std::vector<std::string>& words);

/// The help of a command, in lines of at most `width`.
std::string help_of(const Command& command, std::size_t width);
/// The help of the tool.
std::string help_of_tool(std::size_t width);

/// The reference page in Markdown, from the declarations of the commands.
std::string reference_page();

}  // namespace zerobeat::tool
