#include <algorithm>
#include <memory>
#include <zerobeat/clean/settle.hpp>

#include "words.hpp"

namespace zerobeat::tool {

namespace {

/// Objects that hold the defaults of options for as long as the program runs.
template <typename Options>
void add_options(OptionGroup& group) {
  static Options defaults;
  for (auto& option : bind_options(defaults)) group.options.push_back(std::move(option));
}

OptionGroup reading() {
  OptionGroup group{reading_title, {}};
  add_options<ReadOptions>(group);
  add_options<Limits>(group);
  return group;
}

OptionGroup writing() {
  OptionGroup group{writing_title, {}};
  add_options<Target>(group);
  add_options<WriteOptions>(group);
  return group;
}

OptionGroup general(bool planned) {
  OptionGroup group{general_title, {}};
  add_options<General>(group);
  if (planned) add_options<Planned>(group);
  return group;
}

template <typename... Options>
OptionGroup own(const std::string& title) {
  OptionGroup group{title, {}};
  (add_options<Options>(group), ...);
  return group;
}

constexpr const char* one_file = "FILE: what to read; - is standard input";
constexpr const char* several_files =
    "FILE…: what to read; a reading option is for all, or, as NAME:value, for one (NAME is the "
    "file's stem)";
constexpr const char* two_or_more =
    "FILE FILE…: what to bring together; a reading option is for all, or, as NAME:value, for one "
    "(NAME is the file's stem)";

Command of_step(const StepKind& kind) {
  static std::vector<std::unique_ptr<Step>> defaults;
  Step& step = *defaults.emplace_back(std::make_unique<Step>(kind.make()));
  Command command;
  command.name = step.name();
  command.help = step.help();
  const Inputs inputs = step.inputs();
  command.operands = inputs.least > 1 ? two_or_more : inputs.most > 1 ? several_files : one_file;
  command.example = step.example();
  command.groups = {{command.name, step.options()}, reading(), writing(), general(true)};
  for (const Stat stat : step.statistics()) {
    if (stat != Stat::own) command.statistics.emplace_back(word(stat));
  }
  return command;
}

std::vector<Command> make_commands() {
  using Kind = Command::Kind;
  std::vector<Command> commands;
  commands.push_back({"check",
                      "read and judge; print the account and the findings",
                      std::string(several_files),
                      "check tide_gauge.csv",
                      Kind::check,
                      {own<CheckOptions>("check"), reading(), general(false)}});
  const Command stamp{
      std::string(Stamp::name),
      std::string(Stamp::help),
      one_file,
      "stamp winch_vibration.csv --start-from started --rate-from 'sample rate' -o winch.csv",
      Kind::stamp,
      {own<Stamp>("stamp"), reading(), writing(), general(true)}};
  for (const StepKind& kind : standard_steps()) {
    commands.push_back(of_step(kind));
    if (kind.name == Settle::name) commands.push_back(stamp);
  }
  OptionGroup picture = own<Target, Figure>("plot");
  picture.options[0].help =
      "the picture (-o): a name that ends in .png, .svg or .pdf; unset: in the terminal";
  commands.push_back({"plot",
                      "a picture of what the step before made, or of records",
                      several_files,
                      "plot tide_gauge.csv --y level_m -o water.png",
                      Kind::plot,
                      {std::move(picture), reading(), general(true)}});
  OptionGroup page = own<Target, ReportOptions>("report");
  page.options[0].help = "the page (-o): a name that ends in .html";
  commands.push_back({"report",
                      "a page on the sources' health: whether to trust them, and why",
                      several_files,
                      "report tide_gauge.csv -o health.html",
                      Kind::report,
                      {std::move(page), reading(), general(true)}});
  commands.push_back({"run",
                      "a whole plan in one pass; prints the ledger",
                      "PLAN.toml",
                      "run plan.toml",
                      Kind::run,
                      {own<RunFlags>("run"), general(false)}});
  commands.push_back({"explain",
                      "what a plan would do",
                      "PLAN.toml",
                      "explain plan.toml",
                      Kind::explain,
                      {general(false)}});
  commands.push_back({"demo",
                      "write the demo data and plan into a folder and run it",
                      "FOLDER: where to; zerobeat-demo unless named",
                      "demo",
                      Kind::demo,
                      {general(false)}});
  return commands;
}

}  // namespace

const std::vector<Command>& all_commands() {
  static const std::vector<Command> commands = make_commands();
  return commands;
}

const Command& command_of(const std::string& name) {
  std::vector<std::string> names{"help", "reference"};
  for (const Command& command : all_commands()) {
    if (command.name == name) return command;
    names.push_back(command.name);
  }
  fail_usage("\"{}\" is not a command{}", shown(name), did_you_mean(name, names));
}

}  // namespace zerobeat::tool
