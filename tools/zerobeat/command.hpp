/// Commands: what each is given, and how that is read from the command line.

#pragma once

#include <CLI/CLI.hpp>
#include <functional>
#include <map>
#include <memory>
#include <string>
#include <vector>
#include <zerobeat/zerobeat.hpp>

namespace zerobeat::tool {

/// What every command takes.
struct General {
  bool quiet = false;
  std::optional<std::int64_t> threads{};
  std::string account{};
};

template <typename Visitor, OptionsOf<General> O>
void fields(Visitor&& visit, O& o) {
  visit("quiet", o.quiet, "", "say nothing but errors");
  visit("threads", o.threads, "N", "use so many threads; unset: one a core");
  visit("account", o.account, "FILE",
        "write the account as JSON: what became of the records, and what each step did");
}

/// Where data goes.
struct Target {
  std::string output = "-";
};

template <typename Visitor, OptionsOf<Target> O>
void fields(Visitor&& visit, O& o) {
  visit("output", o.output, "FILE", "where the data goes (-o); - is standard output");
}

/// What only `check` takes.
struct CheckOptions {
  bool json = false;
  double gap_factor = 3;
  WorkingDays days{};
};

template <typename Visitor, OptionsOf<CheckOptions> O>
void fields(Visitor&& visit, O& o) {
  visit("json", o.json, "", "put the judgement on standard output as JSON");
  visit("gap-factor", o.gap_factor, "X", "a gap is a step longer than so many typical ones");
  fields(visit, o.days);
}

/// What only `run` takes.
struct RunFlags {
  bool causal = false;
};

template <typename Visitor, OptionsOf<RunFlags> O>
void fields(Visitor&& visit, O& o) {
  visit("causal", o.causal, "", "refuse a plan with a step that looks ahead");
}

/// Options under one heading.
struct OptionGroup {
  std::string title;
  std::vector<BoundOption> options;
  std::vector<std::string> options_of_files{};  ///< those that each file may have its own value of
};

/// One command: its options are bound to members, and run() does the work.
class Command {
 public:
  Command(std::string name, std::string help, std::string operands)
      : name_(std::move(name)), help_(std::move(help)), operands_(std::move(operands)) {}
  virtual ~Command() = default;

  const std::string& name() const { return name_; }
  const std::string& help() const { return help_; }
  const std::string& operands() const { return operands_; }
  const std::vector<OptionGroup>& groups() const { return groups_; }

  /// Adds the command and its options to the command line.
  void add_to(CLI::App& app);
  /// Reads what was given. Throws Error of kind usage.
  void take_given();
  bool was_called() const { return app_ != nullptr && app_->parsed(); }

  virtual void run() = 0;

  General general;

 protected:
  std::vector<OptionGroup> groups_;
  std::vector<std::string> files_;
  /// Reading options as they were given, for each file to take what is its own.
  std::map<std::string, std::vector<std::string>> reading_given_;
  /// Other options that each file may have its own value of, as they were given.
  std::map<std::string, std::vector<std::string>> of_files_given_;
  static constexpr const char* reading_title = "reading";

 private:
  std::string name_, help_, operands_;
  CLI::App* app_ = nullptr;
  std::map<std::string, std::vector<std::string>> given_;
};

/// Every command, in the order of the work.
std::vector<std::unique_ptr<Command>> all_commands();

/// The reference page in Markdown, from the declarations of the commands.
std::string reference_page(const std::vector<std::unique_ptr<Command>>& commands);

/// Writes the demo's sources and plan into a folder.
void write_harbour(const std::string& folder);

}  // namespace zerobeat::tool
