#include "build.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <set>
#include <zerobeat/clean/settle.hpp>
#include <zerobeat/io/source_name.hpp>

namespace zerobeat::tool {

namespace {

using Values = std::vector<std::string>;

/// A value that is for all files, or for the one of a name.
struct OwnedValue {
  std::string owner;  ///< empty: all
  std::string value;
};

OwnedValue owned(const std::string& text, const std::vector<std::string>& names) {
  const std::size_t colon = text.find(':');
  const std::string owner = text.substr(0, colon);
  const bool is_name =
      colon != std::string::npos && std::find(names.begin(), names.end(), owner) != names.end();
  return is_name ? OwnedValue{owner, text.substr(colon + 1)} : OwnedValue{"", text};
}

/// Throws when two values are for the same.
void refuse_twice(const std::string& command, const std::string& option, const Values& values,
                  const std::vector<std::string>& names) {
  std::map<std::string, std::string> seen;
  for (const auto& value : values) {
    const auto [owner, text] = owned(value, names);
    const auto [at, added] = seen.emplace(owner, text);
    if (added) continue;
    const std::string of = owner.empty() ? "" : " for " + owner;
    if (text == "true" && at->second == "true") {
      fail_usage("{}: --{} is given twice", command, option);
    }
    fail_usage("{}: --{} is given twice{}: {} and {}", command, option, of, shown(at->second),
               shown(text));
  }
}

[[noreturn]] void refuse_value(const std::string& command, const std::string& option,
                               const std::string& value, const Error& error) {
  throw Error(error.kind(),
              fmt::format("{}: --{} {}: {}", command, option, shown(value, 200), error.what()));
}

/// Sets options from what was given; each at most once.
void set_options(std::vector<BoundOption> options, const ChainPart& part,
                 const std::vector<std::string>& names) {
  for (auto& option : options) {
    const auto given = part.given.find(option.name);
    if (given == part.given.end()) continue;
    Values values = given->second;
    if (option.type != OptionType::list && option.type != OptionType::names) {
      if (values.size() > 1) refuse_twice(part.command, option.name, values, {});
    } else if (!option.repeats) {
      refuse_twice(part.command, option.name, values, names);
      // What is for all comes first: a name holds for what follows it.
      std::stable_partition(values.begin(), values.end(), [&](const std::string& value) {
        return owned(value, names).owner.empty();
      });
    }
    const std::string text = fmt::format("{}", fmt::join(values, ","));
    try {
      option.set(text);
    } catch (const Error& error) {
      refuse_value(part.command, option.name, text, error);
    }
  }
}

class Builder {
 public:
  explicit Builder(const std::vector<ChainPart>& parts) : parts_(parts) {}

  Asked build() {
    const Command& first = command_of(parts_[0].command);
    for (const ChainPart& part : parts_) check_place(part, &part == &parts_[0]);
    name_files();
    gather_shared();
    switch (first.kind) {
      case Command::Kind::run:
        set_options(bind_options(asked_.run), parts_[0], {});
        break;
      case Command::Kind::check:
        set_options(bind_options(asked_.check), parts_[0], {});
        make_sources();
        break;
      case Command::Kind::explain:
      case Command::Kind::demo:
        break;
      default:
        make_sources();
        make_series();
        make_output();
    }
    return std::move(asked_);
  }

 private:
  using Kind = Command::Kind;

  static Kind kind_of(const ChainPart& part) { return command_of(part.command).kind; }
  /// Whether a part is no step, but shows what the one before made.
  static bool shows(const ChainPart& part) {
    return kind_of(part) == Kind::plot || kind_of(part) == Kind::report;
  }

  void check_place(const ChainPart& part, bool is_first) const {
    const Kind kind = kind_of(part);
    const bool alone =
        kind == Kind::check || kind == Kind::run || kind == Kind::explain || kind == Kind::demo;
    if (alone && parts_.size() > 1) fail_usage("{}: does not go into a chain", part.command);
    if (kind == Kind::plot && &part != &parts_.back()) {
      fail_usage("plot: is the last step of a chain: … + plot -o FIGURE.png");
    }
    if (kind == Kind::report && &part != &parts_.back()) {
      fail_usage("report: is the last step of a chain: … + report -o HEALTH.html");
    }
    if (kind == Kind::stamp && !is_first) {
      fail_usage("stamp: is the first step of a chain: it is for records without times");
    }
    if (is_first || part.files.empty()) return;
    const bool takes_more = kind == Kind::step && make_step(part.command).inputs().most > 1;
    if (!takes_more) {
      fail_usage("{}: {}: a later step works on what the one before made; name files in the first",
                 part.command, shown(part.files[0], 200));
    }
  }

  /// Each file has a name: its stem, or, of several of one stem, that and a number.
  void name_files() {
    std::map<std::string, int> uses;
    const auto name = [&](const std::string& file) {
      std::string text = source_stem(file);
      if (const int use = ++uses[text]; use > 1) text += fmt::format("_{}", use);
      files_.push_back(file);
      names_.push_back(text);
      return text;
    };
    const Kind kind = kind_of(parts_[0]);
    const bool reads = kind != Kind::run && kind != Kind::explain && kind != Kind::demo;
    for (const ChainPart& part : parts_) {
      auto& own = names_of_part_.emplace_back();
      if (!reads) continue;
      for (const auto& file : part.files) own.push_back(name(file));
      if (kind_of(part) != Kind::plot) continue;
      if (const auto over = part.given.find("over"); over != part.given.end()) {
        over_ = name(over->second[0]);
      }
    }
  }

  /// Reading, writing and general options may stand in any part, each once.
  void gather_shared() {
    ChainPart shared;
    shared.command = parts_[0].command;
    for (const ChainPart& part : parts_) {
      const Command& command = command_of(part.command);
      std::set<std::string> set;
      for (const auto& group : command.groups) {
        const bool is_shared = group.title == reading_title || group.title == writing_title ||
                               group.title == general_title;
        for (const auto& option : group.options) {
          const auto given = part.given.find(option.name);
          if (!is_shared) set.insert(option.name);
          const bool target = option.name == "output";
          // Of records, the key is an option of reading.
          const bool reads = &part == &parts_[0] && command.name == Settle::name;
          const bool owns = set.contains(option.name) && !(reads && option.name == "key");
          if (given == part.given.end() || (owns && !target)) continue;
          auto& values = (group.title == reading_title ? reading_ : shared.given)[option.name];
          values.insert(values.end(), given->second.begin(), given->second.end());
          if (group.title == writing_title && !target)
            writes_ = part.command + ": --" + option.name;
        }
      }
    }
    for (const auto& [option, values] : shared.given) {
      refuse_twice(shared.command, option, values, {});
    }
    for (const auto& [option, values] : reading_) {
      refuse_twice(shared.command, option, values, names_);
    }
    set_options(bind_options(asked_.general), shared, {});
    set_options(bind_options(asked_.planned), shared, {});
    set_options(bind_options(target_), shared, {});
    set_options(bind_options(write_), shared, {});
    if (asked_.planned.as_plan.path == "-") {
      fail_usage("--as-plan -: a plan goes into a file of its own");
    }
    if (asked_.general.account.path == "-" && target_.output.path == "-" &&
        kind_of(parts_[0]) != Kind::run) {
      fail_usage("--account -: the data goes to standard output; name a file for one of the two");
    }
  }

  void make_sources() {
    const ChainPart& first = parts_[0];
    const Command& command = command_of(first.command);
    Inputs inputs;
    if (command.kind == Kind::step) inputs = make_step(first.command).inputs();
    const bool of_any =
        command.kind == Kind::check || command.kind == Kind::plot || command.kind == Kind::report;
    if (of_any) inputs.most = Inputs::any;
    if (first.files.size() < inputs.least) {
      fail_usage("{}: name {}; - is standard input", first.command,
                 inputs.least == 1 ? "a file to read"
                                   : fmt::format("at least {} files to read", inputs.least));
    }
    if (first.files.size() > inputs.most) {
      std::vector<std::string> files;
      for (const auto& file : first.files) files.push_back(shown(file));
      fail_usage("{}: reads {}, not {}: {}", first.command,
                 inputs.most == 1 ? "one file" : fmt::format("{} files at most", inputs.most),
                 files.size(), fmt::join(files, ", "));
    }
    for (std::size_t i = 0; i < files_.size(); ++i) {
      PlanSource source;
      source.name = names_[i];
      source.file = files_[i];
      auto options = bind_options(source.read);
      for (auto& option : bind_options(source.limits)) options.push_back(std::move(option));
      for (auto& option : options) set_reading(option, source.name, first.command);
      asked_.plan.sources.push_back(std::move(source));
    }
  }

  /// A file's own value of an option, or the one for all.
  void set_reading(BoundOption& option, const std::string& name, const std::string& command) {
    const auto given = reading_.find(option.name);
    if (given == reading_.end()) return;
    std::optional<std::string> common, own;
    for (const auto& text : given->second) {
      const auto [owner, value] = owned(text, names_);
      if (owner.empty()) common = value;
      if (owner == name) own = value;
    }
    const auto& chosen = own ? own : common;
    if (!chosen) return;
    try {
      option.set(*chosen);
    } catch (const Error& error) {
      refuse_value(command, option.name, *chosen, error);
    }
  }

  /// A name that no source has.
  std::string free_name(const std::string& wanted) const {
    std::string name = wanted;
    while (std::find(names_.begin(), names_.end(), name) != names_.end()) name += "_";
    return name;
  }

  void make_series() {
    Plan& plan = asked_.plan;
    PlanSeries series;
    series.called = names_[0];
    series.from = names_of_part_[0];
    for (std::size_t p = 0; p < parts_.size(); ++p) {
      const ChainPart& part = parts_[p];
      if (shows(part)) break;
      if (kind_of(part) == Kind::stamp) {
        set_options(bind_options(plan.sources[0].stamp.emplace()), part, {});
        continue;
      }
      Step step = make_step(part.command);
      if (p > 0 || part.command != Settle::name) {
        set_options(step.options(), part, names_of_part_[p]);
      } else {
        ChainPart own = part;
        own.given.erase("key");
        set_options(step.options(), own, names_of_part_[p]);
      }
      const bool brings_in = step.inputs().least > 1 || !names_of_part_[p].empty();
      if (p > 0 && brings_in) {
        // What brings others in begins a series of its own.
        series.name = free_name(fmt::format("part_{}", plan.series.size() + 1));
        plan.series.push_back(series);
        PlanSeries next;
        next.called = series.called;
        next.from = {series.name};
        next.from.insert(next.from.end(), names_of_part_[p].begin(), names_of_part_[p].end());
        if (next.from.size() < step.inputs().least) {
          fail_usage("{}: name the file to bring in", part.command);
        }
        if (next.from.size() > step.inputs().most) {
          fail_usage("{}: takes {} sources, what the step before made among them, not {}",
                     part.command, step.inputs().most, next.from.size());
        }
        series = std::move(next);
      }
      const bool last = p + 1 == parts_.size();
      const bool drawn = p + 2 == parts_.size() && shows(parts_[p + 1]);
      if (step.makes_table() && !last && !drawn) {
        fail_usage("{}: makes a table, which nothing goes on from; it is the last step of a chain",
                   part.command);
      }
      series.steps.push_back({std::move(step)});
    }
    if (parts_.size() == 1 && shows(parts_[0])) return;
    series.name = free_name("result");
    plan.series.push_back(std::move(series));
  }

  void make_output() {
    PlanOutput output;
    output.name = free_name("result");
    const ChainPart& last = parts_.back();
    output.from = asked_.plan.series.empty() ? names_of_part_[0]
                                             : std::vector{asked_.plan.series.back().name};
    if (kind_of(last) == Kind::report) {
      make_report(last);
      return;
    }
    if (kind_of(last) != Kind::plot) {
      output.file = target_.output;
      output.write = write_;
    } else {
      if (!writes_.empty()) fail_usage("{}: the chain ends in a picture", writes_);
      output.figure = target_.output;
      ChainPart look = last;
      look.given.erase("output");
      set_options(bind_options(output.look), look, {});
      if (!over_.empty()) output.look.over = over_;
    }
    asked_.plan.outputs.push_back(std::move(output));
    add_report(asked_.planned.report, "");
  }

  /// A page of all that the plan reads and makes.
  void add_report(const OutFile& file, const std::string& made_at) {
    if (file.empty()) return;
    PlanOutput output;
    output.name = free_name("report");
    output.report = file;
    output.made_at = made_at;
    asked_.plan.outputs.push_back(std::move(output));
  }

  void make_report(const ChainPart& last) {
    if (!writes_.empty()) fail_usage("{}: the chain ends in a page", writes_);
    if (!asked_.planned.report.empty()) {
      fail_usage("report: --report {}: the page goes where -o says", asked_.planned.report.path);
    }
    ReportOptions options;
    ChainPart own = last;
    own.given.erase("output");
    set_options(bind_options(options), own, {});
    if (target_.output.path == "-") {
      fail_usage("report: say where the page goes: -o HEALTH.html");
    }
    add_report(target_.output, options.made_at);
  }

  const std::vector<ChainPart>& parts_;
  Asked asked_;
  Target target_;
  WriteOptions write_;
  std::string writes_;  // a writing option that was given
  std::map<std::string, Values> reading_;
  std::vector<std::string> files_, names_;
  std::vector<std::vector<std::string>> names_of_part_;
  std::string over_;
};

}  // namespace

Asked build(const std::vector<ChainPart>& parts) { return Builder(parts).build(); }

}  // namespace zerobeat::tool
