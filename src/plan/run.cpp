#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <map>
#include <span>
#include <sstream>
#include <vector>
#include <zerobeat/base/text.hpp>
#include <zerobeat/io/source_name.hpp>
#include <zerobeat/plan/plan.hpp>
#include <zerobeat/version.hpp>
#include <zerobeat/view/plot.hpp>
#include <zerobeat/view/report.hpp>

#include "base/aligned.hpp"
#include "plan/making.hpp"
#include "plan/origin.hpp"
#include "plan/paths.hpp"
#include "plan/watching.hpp"

namespace zerobeat::inline v1 {

namespace {

/// An option, and a word that it may be.
struct Choice {
  std::string option, word;
};

/// The words of a step's options that are one of several.
std::vector<Choice> choices_of(Step step) {
  std::vector<Choice> choices;
  for (const BoundOption& option : step.options()) {
    if (option.value_name.find('|') == std::string::npos) continue;
    std::stringstream words(option.value_name);
    for (std::string word; std::getline(words, word, '|');) {
      const bool plain = word.find_first_not_of("abcdefghijklmnopqrstuvwxyz-") == std::string::npos;
      if (plain && word != option.get()) choices.push_back({option.name, word});
    }
  }
  return choices;
}

/// Whether a step would look at nothing later with these options.
bool is_causal_with(Step step, std::span<const Choice> choices) {
  try {
    for (const Choice& choice : choices) {
      for (const BoundOption& option : step.options()) {
        if (option.name == choice.option) option.set(choice.word);
      }
    }
    return step.reach().causal();
  } catch (const Error&) {
    return false;
  }
}

/// Which option, or which two, would make a step causal; empty when none does.
std::string causal_way(const Step& step) {
  const auto choices = choices_of(step);
  const auto told = [](const Choice& choice) {
    return fmt::format("‹{}› {}", with_underscores(choice.option), choice.word);
  };
  for (const Choice& choice : choices) {
    if (is_causal_with(step, {&choice, 1}))
      return fmt::format("; with {} it would not", told(choice));
  }
  for (std::size_t i = 0; i < choices.size(); ++i) {
    for (std::size_t j = i + 1; j < choices.size(); ++j) {
      const Choice both[]{choices[i], choices[j]};
      if (both[0].option != both[1].option && is_causal_with(step, both)) {
        return fmt::format("; with {} and {} it would not", told(both[0]), told(both[1]));
      }
    }
  }
  return {};
}

void refuse_looking_ahead(const Plan& plan) {
  std::string all;
  for (const auto& series : plan.series) {
    for (const auto& step : series.steps) {
      const Reach reach = step.step.reach();
      if (reach.causal()) continue;
      all += fmt::format("{}{}‹causal›: {} looks ahead: {}{}", all.empty() ? "" : "\n",
                         detail::place_of(plan, step.line, series.name, {}, series.stands_in),
                         to_text(step.step), to_text(reach.ahead), causal_way(step.step));
      break;
    }
  }
  if (!all.empty()) throw Error(Error::Kind::usage, all);
}

/// The sinks and forms of all outputs are known before anything is read.
void check_outputs(const Plan& plan, const RunOptions& options) {
  for (const auto& output : plan.outputs) {
    if (!output.report.empty()) {
      check_report_path(output.report.path);
    } else if (!output.file.empty()) {
      static_cast<void>(sink_for(output.file.path, output.write));
    } else if (output.figure.path != "-") {
      check_figure_path(output.figure.path);
    } else if (options.text_width == 0 || !options.as_plan.empty()) {
      fail_usage("plot: say where the picture goes: -o FIGURE.png (or .svg, .pdf){}",
                 options.text_width == 0 ? "; without it plot draws in a terminal, and standard "
                                           "output is none"
                                         : "; a plan needs a file");
    }
  }
}

/// Files that are being written, to be put in place together.
class Outputs {
 public:
  /// The outputs of a plan's file may stand in folders that are not there yet.
  Outputs(std::size_t most, bool make_folders, bool with_digests)
      : make_folders_(make_folders), with_digests_(with_digests) {
    open_.reserve(most);
  }

  Output& open(const std::string& path) {
    note(path);
    Output& output = open_.emplace_back(path);
    paths_.push_back(path);
    if (with_digests_ && !output.is_direct()) output.keep_digest();
    return output;
  }
  void note(const std::string& path) {
    if (is_connection(path)) return written_.push_back(without_password(path));
    if (make_folders_) detail::make_folder_of(path);
    if (path != "-") written_.push_back(path);
  }
  void add(Store store) { stores_.push_back(std::move(store)); }
  /// A database takes what it was given when the files are on the disk and before they are put in
  /// place: if it refuses, there is nothing to put back.
  void commit() {
    commit_all(open_, [this] {
      for (const Store& store : stores_) store.commit();
    });
  }
  const std::vector<std::string>& written() const { return written_; }
  /// What was written so far, with its digests; what goes to standard output by name.
  std::vector<UsedFile> used() {
    std::vector<UsedFile> files;
    for (std::size_t i = 0; i < open_.size(); ++i) files.push_back({paths_[i], open_[i].digest()});
    for (const auto& path : written_) {
      if (std::ranges::find(files, path, &UsedFile::file) == files.end())
        files.push_back({path, {}});
    }
    return files;
  }
  bool reader_gone() const { return std::ranges::any_of(open_, &Output::reader_gone); }

 private:
  bool make_folders_, with_digests_;
  std::vector<Output> open_;
  std::vector<std::string> paths_, written_;
  std::vector<Store> stores_;
};

void write_output(const PlanOutput& output, detail::Making& making, const RunOptions& options,
                  Outputs& outputs) {
  if (!output.file.empty()) {
    const detail::Product* product = making.product(output.from[0]);
    if (product == nullptr) return;
    WriteOptions write_options = output.write;
    const std::string& path = output.file.path;
    if (product->table && path == "-" && options.text_width > 0 && write_options.to == "auto") {
      write_options.to = "text";
      write_options.width = options.text_width;
    }
    if (sink_for(path, write_options).open != nullptr) {
      outputs.note(path);
      Store store = *open_store(path, write_options);
      product->table ? store.write(*product->table, product->zone)
                     : store.write(*product->timeline);
      return outputs.add(std::move(store));
    }
    Output& file = outputs.open(path);
    if (product->table) {
      write(*product->table, file, path, write_options, product->zone);
    } else {
      write(*product->timeline, file, path, write_options);
    }
    return;
  }
  // One that a step made is drawn as its picture; several are laid over each other.
  Plotted what;
  std::vector<Timeline> timelines;
  const bool one = output.from.size() == 1 && output.look.over.empty();
  for (const auto& name : output.from) {
    const detail::Product* product = making.product(name);
    if (product == nullptr) return;
    if (one) {
      what.made_by = product->made_by;
      what.material = product->material;
      what.table = product->table ? &*product->table : nullptr;
    } else if (product->table && (name == output.from[0] || product->made_by == what.made_by)) {
      // Several results of one step.
      (what.material ? what.more.emplace_back() : what.material) = product->material;
      what.made_by = product->made_by;
      if (what.table == nullptr) what.table = &*product->table;
    } else if (!product->timeline) {
      fail_usage("{} is a table, which is drawn by itself: name no other beside it", name);
    }
    if (product->timeline) timelines.push_back(*product->timeline);
  }
  what.timelines = timelines;
  std::optional<Timeline> over;
  if (!output.look.over.empty()) {
    const detail::Product* product = making.product(output.look.over);
    if (product == nullptr) return;
    if (!product->timeline) fail_usage("{} is a table, and is not drawn", output.look.over);
    over = product->timeline;
    what.over = &*over;
  }
  StepAccount did{.step = "plot", .what = describe_options(output.look), .series = output.name};
  for (const auto& timeline : timelines) {
    did.rows_in += static_cast<std::int64_t>(timeline.rows());
  }
  if (what.table != nullptr) did.rows_in += static_cast<std::int64_t>(what.table->rows());
  const std::string& path = output.figure.path;
  if (path == "-") {
    TerminalPicture picture = plot_text(what, output.look, options.terminal);
    did.notes = std::move(picture.notes);
    outputs.open(path).write(picture.text);
  } else {
    did.notes = plot(what, output.look, outputs.open(path), path);
  }
  if (!did.notes.empty()) making.note(std::move(did));
}

/// Where results came from, as far as they are written.
Origin origin_of(const Plan& plan, const detail::InputDigests& inputs,
                 std::vector<UsedFile> outputs) {
  Origin origin;
  origin.version = version();
  origin.plan = plan_text(plan, "");
  origin.inputs = inputs.get();
  origin.outputs = std::move(outputs);
  return origin;
}

/// With names as a plan's file has them, from its folder: a page is the same wherever that lies.
Origin from_plan_folder(const Plan& plan, Origin origin) {
  const std::filesystem::path folder = std::filesystem::path(plan.path.path).parent_path();
  origin.plan = plan_text(plan, folder.string());
  if (folder.empty()) return origin;
  for (auto* files : {&origin.inputs, &origin.outputs}) {
    for (UsedFile& used : *files) {
      if (used.file == "-" || is_connection(used.file)) continue;
      const auto near = std::filesystem::path(used.file).lexically_relative(folder);
      if (!near.empty()) used.file = near.string();
    }
  }
  return origin;
}

/// A step's options without the plan's folder before the files that they name.
std::string without_folder(std::string what, const Plan& plan) {
  const std::string folder = std::filesystem::path(plan.path.path).parent_path().string();
  if (folder.empty()) return what;
  const std::string before = "=" + folder + "/";
  for (std::size_t at = what.find(before); at != std::string::npos; at = what.find(before, at)) {
    what.erase(at + 1, folder.size() + 1);
  }
  return what;
}

/// What flows where: sources, series and outputs.
std::vector<PageFlow> flow_of(const Plan& plan) {
  std::vector<PageFlow> flow;
  std::map<std::string, std::size_t> places;
  const auto file_name = [](const std::string& path) {
    return is_connection(path) ? without_password(path)
                               : std::filesystem::path(path).filename().string();
  };
  for (const auto& source : plan.sources) {
    places[source.name] = flow.size();
    flow.push_back({source.name, true, {file_name(source.file.path)}, {}});
  }
  for (const auto& series : plan.series) {
    PageFlow box{series.name, false, {}, {}};
    for (const auto& step : series.steps) box.lines.emplace_back(step.step.name());
    for (const auto& from : series.from) box.from.push_back(places.at(from));
    places[series.name] = flow.size();
    flow.push_back(std::move(box));
  }
  for (const auto& output : plan.outputs) {
    for (const auto& from : output.from) {
      const auto place = places.find(from);
      if (place == places.end() || !output.report.empty()) continue;
      flow[place->second].lines.push_back("→ " + file_name(output.place().path));
    }
  }
  return flow;
}

/// The pages of a plan.
void write_reports(const Plan& plan, const detail::Making& making, const Origin& from,
                   Outputs& outputs) {
  const Origin origin = from_plan_folder(plan, from);
  for (const auto& output : plan.outputs) {
    if (output.report.empty()) continue;
    PageContent content;
    content.sources = making.page_sources(output.from);
    content.series = making.page_series(output.from);
    content.flow = flow_of(plan);
    making.put_changes(content);
    Account account = making.account();
    for (StepAccount& step : account.steps) {
      step.what = without_folder(step.what, plan);
      content.steps.push_back(std::move(step));
    }
    content.origin = origin;
    content.made_at = output.made_at;
    outputs.open(output.report.path).write(page_html(content));
  }
}

bool has_report(const Plan& plan) {
  return std::ranges::any_of(plan.outputs,
                             [](const PlanOutput& output) { return !output.report.empty(); });
}

void write_account(const Account& account, const Origin& origin, const std::string& path,
                   Outputs& outputs) {
  outputs.open(path).write(with_dashes(account_json(account, &origin)));
}

}  // namespace

namespace detail {

void make_folder_of(const std::string& file) {
  const std::filesystem::path folder = std::filesystem::path(file).parent_path();
  if (folder.empty()) return;
  std::error_code error;
  std::filesystem::create_directories(folder, error);
  if (error) fail_output("{}: its folder can't be made: {}", shown(file, 200), error.message());
}

}  // namespace detail

namespace {

/// Sources, steps, and writing.
std::size_t pieces_of(const Plan& plan) {
  std::size_t pieces = plan.sources.size() + 1;
  for (const auto& series : plan.series) pieces += series.steps.size();
  return pieces;
}

RunResult run(const Plan& given, const RunOptions& options) {
  if (options.causal) refuse_looking_ahead(given);
  detail::check_paths(given, options);
  check_outputs(given, options);
  const Plan plan = detail::with_date_columns(given);
  detail::Watching watching(options, pieces_of(plan));
  detail::Making making(plan, watching);
  std::optional<detail::InputDigests> digests;
  const bool tells_origin = !options.account.empty() || has_report(given);
  if (tells_origin) digests.emplace(given);
  // What became of the records is told even when they were too bad to go on with.
  const auto told = [&](auto&& work) {
    try {
      work();
    } catch (const Error& error) {
      if (error.kind() == Error::Kind::limit && tells_origin) {
        Outputs told_all(plan.outputs.size() + 1, !plan.path.empty(), false);
        const Origin origin = origin_of(given, *digests, detail::rejects_written(plan));
        write_reports(plan, making, origin, told_all);
        if (!options.account.empty()) {
          write_account(making.account(), origin, options.account.path, told_all);
        }
        told_all.commit();
      }
      throw;
    }
  };
  told([&] { making.read_sources(); });
  making.make_series();

  // Every output is written beside its place, what can't be taken back last; then all are put in
  // place together.
  Outputs outputs(plan.outputs.size() + making.beside().size() + 2, !plan.path.empty(),
                  tells_origin);
  watching.begin("", "write");
  const auto write_one = [&](const PlanOutput& output) {
    try {
      write_output(output, making, options, outputs);
    } catch (const Error& error) {
      if (error.kind() != Error::Kind::usage) throw;
      const std::string what = output.file.empty() ? "plot: " : "";
      making.add_mistake(
          plan.path.empty()
              ? what
              : fmt::format(
                    "{}output {}: ", detail::place_of(plan, output.line, "", "", output.stands_in),
                    output.name),
          error);
    }
  };
  const auto is_direct = [](const PlanOutput& output) {
    return output.file.path == "-" || output.figure.path == "-";
  };
  for (const auto& output : plan.outputs) {
    if (!is_direct(output) && output.report.empty()) write_one(output);
  }
  told([&] { making.check_mistakes(); });
  for (const SideTable& side : making.beside()) write_csv(side.table, outputs.open(side.file.path));
  if (!options.as_plan.empty()) {
    const std::string& path = options.as_plan.path;
    outputs.open(path).write(plan_text(given, std::filesystem::path(path).parent_path().string()));
  }
  RunResult result;
  result.account = making.account();
  if (tells_origin) {
    std::vector<UsedFile> used = outputs.used();
    for (const auto& output : plan.outputs) {
      if (is_direct(output)) used.push_back({"-", std::nullopt});
    }
    for (UsedFile& rejects : detail::rejects_written(plan)) used.push_back(std::move(rejects));
    const Origin origin = origin_of(given, *digests, std::move(used));
    write_reports(plan, making, origin, outputs);
    if (!options.account.empty()) {
      write_account(result.account, origin, options.account.path, outputs);
    }
  }
  for (const auto& output : plan.outputs) {
    if (is_direct(output)) write_one(output);
  }
  making.check_mistakes();
  watching.check();
  outputs.commit();
  watching.finish();

  result.written = outputs.written();
  for (const auto& source : plan.sources) {
    const std::string& rejects = source.limits.rejects.path;
    if (!rejects.empty() && std::ranges::find(result.written, rejects) == result.written.end()) {
      result.written.push_back(rejects);
    }
  }
  result.reader_gone = outputs.reader_gone();
  for (auto& [name, product] : making.series()) {
    if (product.timeline) {
      result.series.emplace(name, std::move(*product.timeline));
    } else {
      result.tables.emplace(name, std::move(*product.table));
    }
  }
  return result;
}

Judged judge_all(const Plan& plan, const JudgeOptions& judging, const RunOptions& options,
                 const std::string& tune) {
  detail::check_paths(plan, options);
  Judged judged;
  Account account;
  std::vector<detail::SourceRun> runs;
  detail::Watching watching(options, plan.sources.size() + 1);
  std::optional<detail::InputDigests> digests;
  if (!options.account.empty()) digests.emplace(plan);
  for (const auto& source : plan.sources) {
    detail::SourceRun& run = runs.emplace_back(source, std::nullopt);
    judged.judgements.push_back(run.judged(judging, watching, tune));
    watching.finish();
    account.sources.push_back(run.account());
  }
  for (const auto& run : runs) run.set_aside(!plan.path.empty());
  if (!options.account.empty()) {
    Outputs outputs(1, !plan.path.empty(), false);
    write_account(account, origin_of(plan, *digests, detail::rejects_written(plan)),
                  options.account.path, outputs);
    outputs.commit();
  }
  for (const auto& run : runs) {
    try {
      run.check();
    } catch (const Error& error) {
      judged.passed_limit = error;
      break;
    }
  }
  return judged;
}

}  // namespace

RunResult run_plan(const Plan& plan, const RunOptions& options) {
  RunResult result;
  detail::run_watched(options, [&] { result = run(plan, options); });
  return result;
}

Judged judge_sources(const Plan& plan, const JudgeOptions& judging, const RunOptions& options,
                     const std::string& tune) {
  Judged judged;
  detail::run_watched(options, [&] { judged = judge_all(plan, judging, options, tune); });
  return judged;
}

std::string ledger_text(const Account& account) {
  std::vector<std::vector<std::string>> rows{{"series", "step", "rows in", "rows out", "rejected",
                                              "filled", "clipped", "time", "options"}};
  const auto count = [](std::int64_t n) { return n == 0 ? std::string("-") : grouped(n); };
  const auto time = [](double seconds) {
    if (seconds < 1e-3) return fmt::format("{:.0f} us", seconds * 1e6);
    if (seconds < 1) return fmt::format("{:.1f} ms", seconds * 1e3);
    return fmt::format("{:.2f} s", seconds);
  };
  for (const auto& source : account.sources) {
    if (source == nullptr) continue;
    rows.push_back({shown(source->name), "read", grouped(source->records),
                    grouped(source->kept + source->merged), count(source->rejected), "-", "-",
                    time(source->seconds), shown(source->source, 80)});
  }
  for (const auto& step : account.steps) {
    rows.push_back({shown(step.series), step.step, grouped(step.rows_in), grouped(step.rows_out),
                    "-", count(step.cells_filled), count(step.cells_clipped), time(step.seconds),
                    shown(step.what, 400)});
  }
  std::string text = detail::aligned(rows, 2, 8);
  for (const auto& step : account.steps) {
    for (const auto& note : step.notes) {
      text += fmt::format("\n{}, {}: {}", shown(step.series), step.step, note);
    }
  }
  return text;
}

}  // namespace zerobeat
