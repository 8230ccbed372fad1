#include <toml++/toml.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <set>
#include <sstream>
#include <zerobeat/io/calendar.hpp>
#include <zerobeat/plan/plan.hpp>

namespace zerobeat {

namespace {

namespace fs = std::filesystem;

/// Where in the plan something stands.
struct At {
  std::string file;
  toml::source_index line = 0;
};

template <typename... Args>
[[noreturn]] void fail_at(const At& at, fmt::format_string<Args...> format, Args&&... args) {
  throw Error(Error::Kind::usage, fmt::format("{}:{}: {}", at.file, at.line,
                                              fmt::format(format, std::forward<Args>(args)...)));
}

class Loader {
 public:
  explicit Loader(const std::string& path) : path_(path), folder_(fs::path(path).parent_path()) {}

  Plan load() {
    plan_.path = path_;
    const toml::table root = parse();
    ReadOptions defaults;
    auto read_options = bind_options(defaults);
    std::vector<std::string> known{"source", "series", "output"};
    for (const auto& option : read_options) known.push_back(option.name);
    for (const auto& [key, value] : root) {
      if (key == "source" || key == "series" || key == "output") continue;
      if (!set_option(read_options, key.str(), value)) unknown(key, known);
    }
    each_table(root, "source", [&](const std::string& name, const toml::table& table, At at) {
      load_source(name, table, at, defaults);
    });
    each_table(root, "series", [&](const std::string& name, const toml::table& table, At at) {
      load_series(name, table, at);
    });
    each_table(root, "output", [&](const std::string& name, const toml::table& table, At at) {
      load_output(name, table, at);
    });
    check_names();
    order_series();
    return std::move(plan_);
  }

 private:
  At at(const toml::node& node) const { return {path_, node.source().begin.line}; }
  At at(const toml::key& key) const { return {path_, key.source().begin.line}; }

  toml::table parse() const {
    std::ifstream file(path_);
    if (fs::is_directory(path_)) fail_input("{}: is a directory; name the plan in it", path_);
    if (!file) fail_input("{}: there is no such file, or it can't be read", path_);
    std::stringstream text;
    text << file.rdbuf();
    try {
      return toml::parse(text.str(), path_);
    } catch (const toml::parse_error& error) {
      fail_at({path_, error.source().begin.line}, "byte {} of the line: {}",
              error.source().begin.column, error.description());
    }
  }

  [[noreturn]] void unknown(const toml::key& key, const std::vector<std::string>& known) const {
    fail_at(at(key), "\"{}\" is not a key here{}", key.str(), did_you_mean(key.str(), known));
  }

  template <typename Work>
  void each_table(const toml::table& root, std::string_view kind, Work&& work) {
    const toml::node* node = root.get(kind);
    if (node == nullptr) return;
    if (!node->is_table()) fail_at(at(*node), "{} is a table of tables: [{}.NAME]", kind, kind);
    // TOML tables come sorted by name; the order of the file is the order of the work.
    std::vector<std::pair<toml::source_index, std::string>> names;
    for (const auto& [name, value] : *node->as_table()) {
      if (!value.is_table())
        fail_at(at(name), "{}.{} is a table: [{}.{}]", kind, name.str(), kind, name.str());
      names.emplace_back(at(name).line, std::string(name.str()));
    }
    std::ranges::sort(names);
    for (const auto& [line, name] : names) {
      work(name, *node->as_table()->get(name)->as_table(), At{path_, line});
    }
  }

  /// A value as the text of an option: lists are joined by commas.
  std::string text_of(const toml::node& value) const {
    if (const auto* text = value.as_string()) return text->get();
    if (const auto* whole = value.as_integer()) return fmt::format("{}", whole->get());
    if (const auto* number = value.as_floating_point()) return fmt::format("{}", number->get());
    if (const auto* truth = value.as_boolean()) return truth->get() ? "true" : "false";
    if (const auto* list = value.as_array()) {
      std::string all;
      for (const auto& item : *list) all += (all.empty() ? "" : ",") + text_of(item);
      return all;
    }
    fail_at(at(value), "a value here is text, a number, true or false, or a list of these");
  }

  /// Returns false when there is no such option.
  bool set_option(std::vector<BoundOption>& options, std::string_view name,
                  const toml::node& value) const {
    const auto option = std::ranges::find(options, name, &BoundOption::name);
    if (option == options.end()) return false;
    const std::string text = text_of(value);
    try {
      option->set(text);
    } catch (const Error& error) {
      fail_at(at(value), "{}: {}", name, error.what());
    }
    return true;
  }

  std::string resolved(const std::string& file) const {
    if (file == "-" || fs::path(file).is_absolute() || folder_.empty()) return file;
    return (folder_ / file).string();
  }

  std::vector<std::string> names_of(const toml::node& value) const {
    std::vector<std::string> names;
    if (const auto* text = value.as_string()) {
      names.push_back(text->get());
    } else if (const auto* list = value.as_array()) {
      for (const auto& item : *list) {
        const auto* name = item.as_string();
        if (name == nullptr)
          fail_at(at(item), "from names sources or series: from = [\"a\", \"b\"]");
        names.push_back(name->get());
      }
    }
    if (names.empty()) fail_at(at(value), "from names a source or series: from = \"tide\"");
    return names;
  }

  void load_source(const std::string& name, const toml::table& table, const At& where,
                   const ReadOptions& defaults) {
    PlanSource source;
    source.name = name;
    source.read = defaults;
    auto options = bind_options(source.read);
    for (auto& option : bind_options(source.limits)) options.push_back(std::move(option));
    std::vector<std::string> known{"file"};
    for (const auto& option : options) known.push_back(option.name);
    for (const auto& [key, value] : table) {
      if (key == "file") {
        source.file = resolved(text_of(value));
      } else if (!set_option(options, key.str(), value)) {
        unknown(key, known);
      }
    }
    if (source.file.empty()) fail_at(where, "source.{} has no file: file = \"{}.csv\"", name, name);
    if (!source.limits.rejects.empty()) source.limits.rejects = resolved(source.limits.rejects);
    lines_[name] = where;
    plan_.sources.push_back(std::move(source));
  }

  Step load_step(const toml::node& node) const {
    const toml::table* table = node.as_table();
    if (table == nullptr || table->size() != 1) {
      fail_at(at(node),
              "a step is a table of one key, its name: {{ fill = {{ how = \"linear\" }} }}");
    }
    const auto only = table->begin();
    const toml::key& key = only->first;
    const toml::node& value = only->second;
    Step step;
    try {
      step = make_step(key.str());
    } catch (const Error& error) {
      fail_at(at(key), "{}", error.what());
    }
    const toml::table* options_table = value.as_table();
    if (options_table == nullptr) {
      fail_at(at(value), "the options of {} are a table: {{ {} = {{ … }} }}", key.str(), key.str());
    }
    auto options = bind_options(step);
    std::vector<std::string> known;
    for (const auto& option : options) known.push_back(option.name);
    for (const auto& [name, option_value] : *options_table) {
      if (!set_option(options, name.str(), option_value)) unknown(name, known);
    }
    if (auto* clip = std::get_if<Clip>(&step); clip != nullptr && !clip->changes.empty()) {
      clip->changes = resolved(clip->changes);
    }
    if (auto* resampling = std::get_if<Resample>(&step);
        resampling != nullptr && resampling->days.given()) {
      WorkingDays& days = resampling->days;
      if (!days.holidays.empty()) days.holidays = resolved(days.holidays);
      resampling->calendar = read_calendar(days);
    }
    return step;
  }

  void load_series(const std::string& name, const toml::table& table, const At& where) {
    PlanSeries series;
    series.name = name;
    for (const auto& [key, value] : table) {
      if (key == "from") {
        series.from = names_of(value);
      } else if (key == "steps") {
        const toml::array* steps = value.as_array();
        if (steps == nullptr) fail_at(at(value), "steps is a list of steps: [ {{ fill = {{}} }} ]");
        for (const auto& step : *steps) series.steps.push_back(load_step(step));
      } else {
        unknown(key, {"from", "steps"});
      }
    }
    if (series.from.empty()) fail_at(where, "series.{} has no from: from = \"tide\"", name);
    check_steps(series, where);
    lines_[name] = where;
    plan_.series.push_back(std::move(series));
  }

  void check_steps(const PlanSeries& series, const At& where) const {
    const bool several = series.from.size() > 1;
    if (several && (series.steps.empty() || !std::holds_alternative<Join>(series.steps[0]))) {
      fail_at(where, "series.{} is made from several; its first step is a join", series.name);
    }
    for (std::size_t i = 0; i < series.steps.size(); ++i) {
      const Step& step = series.steps[i];
      if (std::holds_alternative<Join>(step) && (i > 0 || !several)) {
        fail_at(where, "series.{}: join is the first step of a series made from several",
                series.name);
      }
      if (std::holds_alternative<Settle>(step) && i > 0) {
        fail_at(where, "series.{}: settle is the first step of a series made from one source",
                series.name);
      }
    }
  }

  void load_output(const std::string& name, const toml::table& table, const At& where) {
    PlanOutput output;
    output.name = name;
    output.from = {name};
    auto write_options = bind_options(output.write);
    auto look_options = bind_options(output.look);
    const bool figure = table.contains("figure");
    std::vector<std::string> known{"from", "file", "figure"};
    for (const auto& option : figure ? look_options : write_options) known.push_back(option.name);
    for (const auto& [key, value] : table) {
      if (key == "from") {
        output.from = names_of(value);
      } else if (key == "file") {
        output.file = resolved(text_of(value));
      } else if (key == "figure") {
        output.figure = resolved(text_of(value));
      } else if (!set_option(figure ? look_options : write_options, key.str(), value)) {
        unknown(key, known);
      }
    }
    if (output.file.empty() == output.figure.empty()) {
      fail_at(where, "output.{} has either a file or a figure", name);
    }
    if (!output.file.empty() && output.from.size() > 1) {
      fail_at(where, "output.{}: a file holds one series; join them first", name);
    }
    output_lines_[name] = where;
    plan_.outputs.push_back(std::move(output));
  }

  /// Every name that is used is there, and none stands for two things.
  void check_names() const {
    std::vector<std::string> names;
    for (const auto& source : plan_.sources) names.push_back(source.name);
    for (const auto& series : plan_.series) {
      if (std::ranges::find(names, series.name) != names.end()) {
        fail_at(lines_.at(series.name), "\"{}\" is a source and a series; rename one", series.name);
      }
      names.push_back(series.name);
    }
    const auto check = [&](const std::string& name, const At& where, const char* what) {
      if (std::ranges::find(names, name) != names.end()) return;
      fail_at(where, "{} \"{}\" is neither a source nor a series{}", what, name,
              did_you_mean(name, names));
    };
    for (const auto& series : plan_.series) {
      for (const auto& name : series.from) check(name, lines_.at(series.name), "from");
      if (!series.steps.empty() && std::holds_alternative<Settle>(series.steps[0]) &&
          std::ranges::find(plan_.sources, series.from[0], &PlanSource::name) ==
              plan_.sources.end()) {
        fail_at(lines_.at(series.name), "series.{}: settle goes with a source; {} is a series",
                series.name, series.from[0]);
      }
    }
    std::set<std::string> files;
    for (const auto& output : plan_.outputs) {
      const At& where = output_lines_.at(output.name);
      for (const auto& name : output.from) {
        check(name, where, output.from == std::vector{output.name} ? "output" : "from");
      }
      if (!output.look.over.empty()) check(output.look.over, where, "over");
      const std::string& file = output.file.empty() ? output.figure : output.file;
      if (!files.insert(file).second) fail_at(where, "two outputs go to {}", file);
    }
  }

  /// Puts series after those that they are made from. Throws when one is made from itself.
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
        fail_at(lines_.at(name), "series are made from themselves: {}",
                fmt::join(around, " from "));
      }
      path.push_back(name);
      for (const auto& from : series->from) visit(from);
      path.pop_back();
      done.insert(name);
      ordered.push_back(*series);
    };
    for (const auto& series : plan_.series) visit(series.name);
    plan_.series = std::move(ordered);
  }

  std::string path_;
  fs::path folder_;
  Plan plan_;
  std::map<std::string, At> lines_;
  std::map<std::string, At> output_lines_;
};

}  // namespace

Plan load_plan(const std::string& path) { return Loader(path).load(); }

}  // namespace zerobeat
