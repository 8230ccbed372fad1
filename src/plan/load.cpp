#include <fmt/format.h>
#include <toml++/toml.h>

#include <algorithm>
#include <filesystem>
#include <map>
#include <set>
#include <zerobeat/base/text.hpp>
#include <zerobeat/io/source_name.hpp>
#include <zerobeat/plan/plan.hpp>
#include <zerobeat/view/plot.hpp>

#include "base/names.hpp"
#include "plan/making.hpp"
#include "plan/plan_files.hpp"
#include "plan/toml_value.hpp"
#include "take/named_statistics.hpp"

namespace zerobeat::inline v1 {

namespace {

namespace fs = std::filesystem;

class Loader {
 public:
  Loader(const std::string& path, const LoadOptions& options)
      : path_(path), folder_(fs::path(path).parent_path()), kinds_(options.steps) {
    for (const StepKind& kind : standard_steps()) {
      if (std::ranges::find(options.steps, kind.name, &StepKind::name) == options.steps.end()) {
        kinds_.push_back(kind);
      }
    }
    for (const auto& [name, statistic] : options.statistics) {
      statistics_.emplace(name, statistic.function);
    }
  }

  Plan load(bool with_data) {
    const detail::StatisticsInScope in_scope(statistics_);
    plan_.path = path_;
    roots_ = detail::read_plan_files(path_);
    for (const auto& root : roots_) {
      if (&root != &roots_.back()) plan_.included.emplace_back(root.path);
    }
    PlanSource defaults;
    for (const detail::PlanFile& root : roots_) {
      enter(root);
      load_defaults(root.keys, defaults);
    }
    for (const detail::PlanFile& root : roots_) {
      enter(root);
      load_tables(root.keys, defaults);
    }
    enter(roots_.back());
    if (plan_.outputs.empty() && mistakes_.empty()) {
      mistake(0, "",
              "the plan has no output: [output.NAME] with file = \"…\", figure = \"…\" or report = "
              "\"…\"");
    }
    check_names();
    if (mistakes_.empty()) order_series();
    if (!mistakes_.empty()) {
      if (with_data) add_what_data_shows();
      std::ranges::stable_sort(mistakes_, {}, &detail::Mistake::line);
      std::string all;
      for (const auto& mistake : mistakes_) {
        all += (all.empty() ? "" : "\n") + std::string(mistake.error.what());
      }
      throw Error(Error::Kind::usage, all, mistakes_[0].error.parts());
    }
    return std::move(plan_);
  }

 private:
  /// What is read next stands in this file: its mistakes are told as such, and its paths are
  /// relative to its folder.
  void enter(const detail::PlanFile& root) {
    path_ = root.path;
    folder_ = fs::path(root.path).parent_path();
    stands_in_ = root.path == plan_.path.path ? std::string() : root.path;
  }

  /// Mistakes from here on are of that file.
  void goes_on_in(const std::string& stands_in) {
    path_ = stands_in.empty() ? plan_.path.path : stands_in;
  }

  /// Reading options at the top, and how much is tolerated.
  void load_defaults(const toml::table& root, PlanSource& defaults) {
    auto options = bind_options(defaults.read);
    for (auto& option : bind_options(defaults.limits)) {
      if (option.name == "tolerate") options.push_back(std::move(option));
    }
    std::vector<std::string> known{"source", "series", "output", "include"};
    for (const auto& option : options) known.push_back(option.name);
    for (const auto& [key, value] : root) {
      if (key == "source" || key == "series" || key == "output" || key == "include") continue;
      if (const auto [at, is_new] = defaults_set_.emplace(key.str(), path_); !is_new) {
        mistake(detail::line_of(key), "",
                fmt::format("{} is given in {}, too", key.str(), shown(at->second)));
        continue;
      }
      set_option(options, known, "", key, value);
    }
  }

  void load_tables(const toml::table& root, const PlanSource& defaults) {
    each_table(root, "source",
               [&](const std::string& name, const toml::table& table, std::int64_t line) {
                 load_source(name, table, line, defaults);
               });
    each_table(root, "series",
               [&](const std::string& name, const toml::table& table, std::int64_t line) {
                 const std::size_t before = plan_.series.size();
                 load_series(name, table, line);
                 if (plan_.series.size() > before) plan_.series.back().stands_in = stands_in_;
               });
    each_table(root, "output",
               [&](const std::string& name, const toml::table& table, std::int64_t line) {
                 const std::size_t before = plan_.outputs.size();
                 load_output(name, table, line);
                 if (plan_.outputs.size() > before) plan_.outputs.back().stands_in = stands_in_;
               });
  }

  /// `where` is what the mistake is in: "series level, fill".
  void mistake(std::int64_t line, const std::string& where, const Error& error) {
    faulty_.insert(where.substr(0, where.find(", ")));
    const Error there = where.empty() ? error : error.at(where);
    mistakes_.push_back({line, there.at(line > 0 ? fmt::format("{}:{}", path_, line) : path_)});
  }
  void mistake(std::int64_t line, const std::string& where, const std::string& what) {
    mistake(line, where, Error(Error::Kind::usage, what));
  }
  /// An option that can't have the value that it was given.
  void mistake(std::int64_t line, const std::string& where, std::string_view option,
               std::string value, const std::string& what) {
    const Error untold(Error::Kind::usage, what);
    Error::Parts parts = untold.parts();
    parts.option = with_underscores(option);
    parts.value = std::move(value);
    mistake(line, where,
            Error(Error::Kind::usage, fmt::format("{}{}", option, what), std::move(parts)));
  }

  template <typename Work>
  void each_table(const toml::table& root, std::string_view kind, Work&& work) {
    const toml::node* node = root.get(kind);
    if (node == nullptr) return;
    if (!node->is_table()) {
      return mistake(detail::line_of(*node), "",
                     fmt::format("{} is a table of tables: [{}.NAME]", kind, kind));
    }
    // TOML tables come sorted by name; the order of the file is the order of the work.
    std::vector<std::pair<std::int64_t, std::string>> names;
    for (const auto& [name, value] : *node->as_table()) {
      if (!value.is_table()) {
        mistake(detail::line_of(name), "",
                fmt::format("{}.{} is a table: [{}.{}]", kind, shown(name.str()), kind,
                            shown(name.str())));
        continue;
      }
      names.emplace_back(detail::line_of(name), std::string(name.str()));
    }
    std::ranges::sort(names);
    for (const auto& [line, name] : names)
      work(name, *node->as_table()->get(name)->as_table(), line);
  }

  /// Sets an option, or notes what is wrong.
  void set_option(std::vector<BoundOption>& options, const std::vector<std::string>& known,
                  const std::string& where, const toml::key& key, const toml::node& value) {
    const auto option = std::ranges::find(options, key.str(), &BoundOption::name);
    if (option == options.end()) {
      return mistake(detail::line_of(key), where,
                     fmt::format("\"{}\" is not a key here{}", shown(key.str()),
                                 did_you_mean(key.str(), known)));
    }
    const auto text = detail::text_of(value, option->type);
    if (!text) {
      return mistake(detail::line_of(key), where, key.str(), {},
                     fmt::format(" is {}", detail::words_of(option->type)));
    }
    try {
      option->set(*text);
      if (option->role != FileRole::none) option->set(resolved(*text));
    } catch (const Error& error) {
      mistake(detail::line_of(key), where, key.str(), *text, fmt::format(": {}", error.what()));
    }
  }

  std::string resolved(const std::string& file) const {
    const bool fixed = file == "-" || is_connection(file) || fs::path(file).is_absolute();
    if (fixed || folder_.empty()) return file;
    return (folder_ / file).string();
  }

  /// A path that is no option of a struct, such as a source's file.
  template <typename File>
  void set_file(File& file, const std::string& where, const toml::key& key,
                const toml::node& value) {
    std::vector<BoundOption> options;
    detail::OptionGatherer{options}(std::string(key.str()).c_str(), file, "FILE", "");
    set_option(options, {}, where, key, value);
  }

  /// One name, or a list of them, which stand with `between_files` between.
  void set_source_file(InFile& file, const std::string& where, const toml::key& key,
                       const toml::node& value) {
    const auto* list = value.as_array();
    if (list == nullptr) return set_file(file, where, key, value);
    std::string all;
    for (const auto& item : *list) {
      const auto* name = item.as_string();
      if (name == nullptr || name->get().empty() || is_connection(name->get())) {
        return mistake(detail::line_of(key), where, "file is a name or a list of names of files");
      }
      if (!all.empty()) all += between_files;
      all += resolved(name->get());
    }
    if (all.empty()) return mistake(detail::line_of(key), where, "file is an empty list");
    file = all;
  }

  std::vector<std::string> names_of(const std::string& where, const toml::key& key,
                                    const toml::node& value) {
    std::vector<std::string> names;
    if (const auto* text = value.as_string()) {
      names.push_back(text->get());
    } else if (const auto* list = value.as_array()) {
      for (const auto& item : *list) {
        const auto* name = item.as_string();
        if (name != nullptr) names.push_back(name->get());
        if (name == nullptr) names.clear();
        if (name == nullptr) break;
      }
    }
    if (names.empty()) {
      mistake(detail::line_of(key), where,
              "from names a source or series, or several: from = \"tide\", from = [\"a\", \"b\"]");
    }
    return names;
  }

  /// The options of a step, or of a stamp, from a table of them.
  void load_options(std::vector<BoundOption> options, const std::string& where,
                    const toml::key& key, const toml::node& value) {
    const toml::table* table = value.as_table();
    if (table == nullptr) {
      return mistake(
          detail::line_of(key), where,
          fmt::format("the options of {} are a table: {} = {{ … }}", key.str(), key.str()));
    }
    std::vector<std::string> known;
    for (const auto& option : options) known.push_back(option.name);
    for (const auto& [name, own] : *table) set_option(options, known, where, name, own);
  }

  void load_source(const std::string& name, const toml::table& table, std::int64_t line,
                   const PlanSource& defaults) {
    PlanSource source = defaults;
    source.name = name;
    source.line = line;
    const std::string where = "source " + shown(name);
    auto options = bind_options(source.read);
    for (auto& option : bind_options(source.limits)) options.push_back(std::move(option));
    std::vector<std::string> known{"file", "stamp", "reshape"};
    for (const auto& option : options) known.push_back(option.name);
    bool has_file = false;
    for (const auto& [key, value] : table) {
      if (key == "file") {
        has_file = true;
        set_source_file(source.file, where, key, value);
      } else if (key == "stamp") {
        load_options(bind_options(source.stamp.emplace()), where, key, value);
      } else if (key == "reshape") {
        source.reshape = Reshape{.into = Reshape::Into::long_rows};
        load_options(bind_options(*source.reshape), where, key, value);
      } else {
        set_option(options, known, where, key, value);
      }
    }
    // A zone for the whole plan is not meant for times that have none.
    const bool counts =
        source.read.time_format.kind == TimeFormat::Kind::elapsed ||
        (source.stamp && std::holds_alternative<std::monostate>(source.stamp->start));
    if (counts && !table.contains("zone")) source.read.zone = Zone();
    if (!has_file) mistake(line, where, fmt::format("has no file: file = \"{}.csv\"", shown(name)));
    if (source.reshape && source.reshape->into != Reshape::Into::long_rows) {
      mistake(line, where, "reshape of a source is into long: its columns are times");
    }
    if (source.stamp && source.reshape) {
      mistake(line, where, "has its times from stamp or from reshape, not from both");
    }
    plan_.sources.push_back(std::move(source));
  }

  void load_step(const toml::node& node, const std::string& where, PlanSeries& series) {
    const toml::table* table = node.as_table();
    if (table == nullptr || table->size() != 1) {
      return mistake(detail::line_of(node), where,
                     "a step is a table of one key, its name: { fill = { how = \"linear\" } }");
    }
    const auto only = table->begin();
    const toml::key& key = only->first;
    try {
      PlanStep step{make_step(key.str(), kinds_), detail::line_of(key)};
      load_options(step.step.options(), where + ", " + std::string(key.str()), key, only->second);
      series.steps.push_back(std::move(step));
    } catch (const Error& error) {
      mistake(detail::line_of(key), where, error);
    }
  }

  void load_series(const std::string& name, const toml::table& table, std::int64_t line) {
    PlanSeries series;
    series.name = name;
    series.line = line;
    const std::string where = "series " + shown(name);
    bool has_from = false;
    for (const auto& [key, value] : table) {
      if (key == "from") {
        has_from = true;
        series.from = names_of(where, key, value);
      } else if (key == "called" && value.is_string()) {
        series.called = value.as_string()->get();
      } else if (key == "steps" && value.is_array()) {
        for (const auto& step : *value.as_array()) load_step(step, where, series);
      } else if (key == "steps") {
        mistake(detail::line_of(key), where, "steps is a list of steps: [ { fill = {} } ]");
      } else {
        const std::vector<std::string> known{"from", "steps", "called"};
        mistake(detail::line_of(key), where,
                fmt::format("\"{}\" is not a key here{}", shown(key.str()),
                            did_you_mean(key.str(), known)));
      }
    }
    if (!has_from) mistake(line, where, "has no from: from = \"tide\"");
    check_steps(series, where);
    plan_.series.push_back(std::move(series));
  }

  void check_steps(const PlanSeries& series, const std::string& where) {
    std::size_t inputs = series.from.size();
    if (inputs > 1 && series.steps.empty()) {
      mistake(series.line, where,
              "is made from several; its first step brings them together: join");
    }
    for (std::size_t i = 0; i < series.steps.size(); ++i) {
      const auto& [step, line] = series.steps[i];
      const Inputs takes = step.inputs();
      const std::string text = where + ", " + std::string(step.name());
      if (inputs != 0 && inputs < takes.least) {
        mistake(
            line, text,
            fmt::format("takes at least {} series; it is the first step of one that is made from "
                        "several: from = [\"a\", \"b\"]",
                        takes.least));
      }
      if (inputs > takes.most) {
        mistake(line, text,
                "takes one series, and this one is made from several; its first step is a join");
      }
      if (step.makes_table() && i + 1 < series.steps.size()) {
        mistake(line, text, "makes a table, which nothing goes on from; it is the last step");
      }
      inputs = 1;
    }
  }

  /// The step that makes what a figure drew by a key of its own; empty: it had none of that name.
  static std::string_view gone_look(std::string_view key) {
    if (key == "by" || key == "take") return "profile";
    if (key == "describe") return "describe";
    if (key == "missing") return "gaps";
    if (key == "tune" || key == "with" || key == "against" || key == "within" || key == "drift") {
      return "tune";
    }
    return key == "try" || key == "hide" || key == "seed" ? "fill, with try" : "";
  }

  void load_output(const std::string& name, const toml::table& table, std::int64_t line) {
    PlanOutput output;
    output.name = name;
    output.from = {name};
    output.line = line;
    const std::string where = "output " + shown(name);
    auto write_options = bind_options(output.write);
    auto look_options = bind_options(output.look);
    const bool figure = table.contains("figure"), report = table.contains("report");
    if (report) output.from.clear();  // all
    std::vector<std::string> known{"from", "file", "figure", "report"};
    if (report) known.emplace_back("made-at");
    for (const auto& option : figure ? look_options : write_options) known.push_back(option.name);
    for (const auto& [key, value] : table) {
      if (key == "from") {
        output.from = names_of(where, key, value);
      } else if (key == "file") {
        set_file(output.file, where, key, value);
      } else if (key == "figure") {
        set_file(output.figure, where, key, value);
      } else if (key == "report") {
        set_file(output.report, where, key, value);
      } else if (report && key == "made-at") {
        std::vector<BoundOption> options;
        detail::OptionGatherer{options}("made-at", output.made_at, "T", "");
        set_option(options, {}, where, key, value);
      } else if (const auto step = figure ? gone_look(key.str()) : std::string_view();
                 !step.empty()) {
        mistake(
            detail::line_of(key), where,
            fmt::format("\"{}\" is no key of a figure any more; a figure draws what a step made: "
                        "name a series whose last step is {}, from = \"…\"",
                        key.str(), step));
      } else {
        set_option(figure ? look_options : write_options, known, where, key, value);
      }
    }
    const int kinds = (table.contains("file") ? 1 : 0) + (figure ? 1 : 0) + (report ? 1 : 0);
    if (kinds == 0) mistake(line, where, "has a file, a figure or a report");
    if (kinds > 1) mistake(line, where, "has a file, a figure or a report, and not two of them");
    check_ending(output, table, where);
    if (!figure && !report && output.from.size() > 1) {
      mistake(line, where, "a file holds one series; join them first");
    }
    plan_.outputs.push_back(std::move(output));
  }

  /// The ending of an output's file says what is written; one that no format has is a mistake.
  void check_ending(const PlanOutput& output, const toml::table& table, const std::string& where) {
    const auto line = [&](const char* key) {
      const auto at = table.find(key);
      return at == table.end() ? output.line : detail::line_of(at->first);
    };
    try {
      if (!output.file.empty()) {
        static_cast<void>(sink_for(output.file.path, output.write));
      } else if (!output.figure.empty()) {
        check_figure_path(output.figure.path);
      } else if (!output.report.empty()) {
        check_report_path(output.report.path);
      }
    } catch (const Error& error) {
      const char* key = !output.file.empty()     ? "file"
                        : !output.figure.empty() ? "figure"
                                                 : "report";
      mistake(line(key), where, error);
    }
  }

  /// Every name that is used is there, none stands for two things, and a table is no series.
  void check_names() {
    std::vector<std::string> names;
    std::set<std::string> tables;
    for (const auto& source : plan_.sources) {
      if (std::ranges::find(names, source.name) != names.end()) {
        mistake(source.line, "",
                fmt::format("source {} is given in two of the files", shown(source.name)));
      }
      names.push_back(source.name);
    }
    std::set<std::string> series_names;
    for (const auto& series : plan_.series) {
      goes_on_in(series.stands_in);
      if (!series_names.insert(series.name).second) {
        mistake(series.line, "",
                fmt::format("series {} is given in two of the files", shown(series.name)));
      } else if (std::ranges::find(names, series.name) != names.end()) {
        mistake(series.line, "",
                fmt::format("\"{}\" is a source and a series; rename one", shown(series.name)));
      }
      names.push_back(series.name);
      if (!series.steps.empty() && series.steps.back().step.makes_table())
        tables.insert(series.name);
    }
    const auto check = [&](const std::string& name, std::int64_t line, const std::string& where,
                           const char* what) {
      if (std::ranges::find(names, name) != names.end()) return;
      mistake(line, where,
              fmt::format("{} \"{}\" is neither a source nor a series{}", what, shown(name),
                          did_you_mean(name, names)));
    };
    for (const auto& series : plan_.series) {
      goes_on_in(series.stands_in);
      const std::string where = "series " + shown(series.name);
      for (const auto& name : series.from) {
        check(name, series.line, where, "from");
        if (tables.contains(name)) {
          mistake(series.line, where,
                  fmt::format("{} is a table, which nothing goes on from", name));
        }
      }
    }
    for (const auto& output : plan_.outputs) {
      goes_on_in(output.stands_in);
      const std::string where = "output " + shown(output.name);
      for (const auto& name : output.from) {
        check(name, output.line, where,
              output.from == std::vector{output.name} ? "output" : "from");
      }
      if (!output.look.over.empty()) check(output.look.over, output.line, where, "over");
    }
  }

  /// Puts series after those that they are made from, or notes that one is made from itself.
  void order_series() {
    std::vector<PlanSeries> ordered;
    std::set<std::string> done;
    std::vector<std::string> path;
    const std::function<void(const std::string&)> visit = [&](const std::string& name) {
      const auto series = std::ranges::find(plan_.series, name, &PlanSeries::name);
      if (series == plan_.series.end() || done.contains(name)) return;
      if (const auto again = std::ranges::find(path, name); again != path.end()) {
        std::vector<std::string> around(again, path.end());
        around.push_back(name);
        done.insert(name);
        return mistake(
            series->line, "series " + shown(name),
            fmt::format("series are made from themselves: {}", fmt::join(around, " from ")));
      }
      path.push_back(name);
      for (const auto& from : series->from) visit(from);
      path.pop_back();
      if (done.insert(name).second) ordered.push_back(*series);
    };
    for (const auto& series : plan_.series) visit(series.name);
    plan_.series = std::move(ordered);
  }

  /// Of the sources and series that have no mistake so far, what their records show.
  void add_what_data_shows() {
    Plan sound;
    sound.path = plan_.path;
    std::set<std::string> known;
    for (const auto& source : plan_.sources) {
      if (faulty_.contains("source " + shown(source.name))) continue;
      known.insert(source.name);
      sound.sources.push_back(source);
    }
    order_series();
    for (const auto& series : plan_.series) {
      const bool made = std::ranges::all_of(
          series.from, [&](const std::string& name) { return known.contains(name); });
      if (!made || series.from.empty() || faulty_.contains("series " + shown(series.name)))
        continue;
      known.insert(series.name);
      sound.series.push_back(series);
    }
    for (auto& mistake : detail::mistakes_of_data(sound)) mistakes_.push_back(std::move(mistake));
  }

  std::string path_;  // of what is read
  fs::path folder_;
  std::string stands_in_;  // the same, when it is not the plan's own
  std::vector<detail::PlanFile> roots_;
  std::map<std::string, std::string, std::less<>> defaults_set_;  // by which file
  std::vector<StepKind> kinds_;
  detail::NamedStatistics statistics_;
  Plan plan_;
  std::vector<detail::Mistake> mistakes_;
  std::set<std::string> faulty_;  ///< sources, series and outputs that have one
};

}  // namespace

Plan load_plan(const std::string& path, const LoadOptions& options) {
  return Loader(path, options).load(false);
}

Plan load_plan_and_look(const std::string& path, const LoadOptions& options) {
  return Loader(path, options).load(true);
}

}  // namespace zerobeat
