#include "plan/making.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <stdexcept>
#include <zerobeat/base/text.hpp>
#include <zerobeat/io/source_name.hpp>

#include "io/source/read_task.hpp"

namespace zerobeat::inline v1::detail {

namespace fs = std::filesystem;

std::string place_of(const Plan& plan, std::int64_t line, const std::string& series,
                     std::string_view step, const std::string& stands_in) {
  std::string place;
  if (!plan.path.empty()) {
    const std::string& file = stands_in.empty() ? plan.path.path : stands_in;
    place = line > 0 ? fmt::format("{}:{}: ", file, line) : file + ": ";
    if (!series.empty()) place += fmt::format("series {}", shown(series));
    if (!series.empty()) place += step.empty() ? ": " : ", ";
  }
  if (!step.empty()) place += fmt::format("{}: ", step);
  return place;
}

Plan with_date_columns(const Plan& plan) {
  Plan changed = plan;
  for (auto& series : changed.series) {
    const Reshape* reshape = series.steps.empty() ? nullptr : series.steps[0].step.as<Reshape>();
    if (reshape == nullptr || reshape->into != Reshape::Into::long_rows) continue;
    const auto source = std::ranges::find(changed.sources, series.from[0], &PlanSource::name);
    std::error_code error;
    if (source == changed.sources.end() || !source->read.time.empty() || source->reshape ||
        !fs::is_regular_file(source->file.path, error)) {
      continue;
    }
    ReadTask head = source->read;
    head.untimed = true;
    head.time_format = {};
    head.date_order.reset();
    constexpr std::size_t enough = std::size_t{1} << 16;
    head.head_bytes = enough;
    const Records records = read_records(Source(source->file.path), head);
    if (!has_times_for_columns(records.values.names(), reading_of_names(*source),
                               source->read.date_order)) {
      continue;
    }
    source->reshape = *reshape;
    series.steps.erase(series.steps.begin());
  }
  return changed;
}

std::vector<Mistake> mistakes_of_data(const Plan& given) {
  const Plan plan = with_date_columns(given);
  const RunOptions options;
  Watching watching(options, 1);
  Making making(plan, watching);
  constexpr std::size_t head = std::size_t{1} << 20;
  making.read_heads(head);
  making.make_series();
  return making.mistakes();
}

std::vector<std::string> columns_of(const Product& product) {
  if (product.table) return product.table->names();
  std::vector<std::string> names{product.timeline->time_name()};
  for (const auto& name : product.timeline->key_names()) names.push_back(name);
  for (const auto& name : product.timeline->values().names()) names.push_back(name);
  return names;
}

Making::Making(const Plan& plan, Watching& watching) : plan_(plan), watching_(watching) {
  runs_.reserve(plan.sources.size());
  has_report_ = std::ranges::any_of(
      plan.outputs, [](const PlanOutput& output) { return !output.report.empty(); });
  for (const auto& source : plan.sources) {
    const auto same = std::ranges::find_if(
        runs_, [&](const SourceRun& run) { return are_one(run.source(), source); });
    run_of_[source.name] = static_cast<std::size_t>(same - runs_.begin());
    if (same == runs_.end()) {
      runs_.emplace_back(source, columns_needed(source), time_needed(source));
      if (!needs_places(source)) runs_.back().keep_lines_only();
    }
  }
}

SourceRun* Making::source(const std::string& name) {
  const auto at = run_of_.find(name);
  return at == run_of_.end() ? nullptr : &runs_[at->second];
}

/// Whether the first step of a series settles its source's records, which is done when it is made.
bool Making::settles_first(const PlanSeries& series) const {
  return !series.steps.empty() && series.from.size() == 1 && run_of_.contains(series.from[0]) &&
         series.steps[0].step.as<Settle>() != nullptr;
}

Settle Making::settling_of(const PlanSeries& series) const {
  if (series.steps.empty() || series.from.size() != 1) return {};
  const Settle* settle = series.steps[0].step.as<Settle>();
  return settle == nullptr ? Settle{} : *settle;
}

bool Making::stands_for(const std::string& name, const PlanSource& source) const {
  if (name == source.name) return true;
  const auto other = std::ranges::find(plan_.sources, name, &PlanSource::name);
  return other != plan_.sources.end() && are_one(*other, source);
}

std::optional<std::vector<std::string>> Making::columns_needed(const PlanSource& source) const {
  if (source.reshape || has_report_) return std::nullopt;
  std::vector<std::string> all;
  bool used = false;
  const auto add = [&](const std::optional<std::vector<std::string>>& names) {
    used = true;
    if (!names) return false;
    all.insert(all.end(), names->begin(), names->end());
    return true;
  };
  const auto is_it = [&](const std::string& name) { return stands_for(name, source); };
  for (const auto& series : plan_.series) {
    for (const auto& from : series.from) {
      if (!is_it(from)) continue;
      const auto step = std::ranges::find_if(series.steps, [](const PlanStep& plan_step) {
        return plan_step.step.as<Settle>() == nullptr;
      });
      // Merging duplicates goes by key and time alone, and leaves each column to itself; a key of
      // its own is a column, or several.
      for (auto own = series.steps.begin(); own != step; ++own) {
        const std::string& key = own->step.as<Settle>()->key;
        all.push_back(key);
        for (const auto& name : split_names(key, '+')) all.push_back(name);
      }
      if (step == series.steps.end() || !add(step->step.columns_needed(from))) return std::nullopt;
    }
  }
  for (const auto& output : plan_.outputs) {
    const bool over = output.look.over == source.name;
    for (const auto& from : output.from) {
      if (!is_it(from) && !over) continue;
      const Figure& look = output.look;
      const bool named = !output.figure.empty() && (!look.y.empty() || !look.scatter.empty());
      if (!named) return std::nullopt;
      // Of a source that has none of them, all numeric ones are drawn; then all are read.
      add(look.y);
      add(look.y2);
      for (const auto& name : look.y) {
        // What clip and fill tell of a column.
        for (const char* ending : {"_low", "_high", "_clipped", "_filled"})
          all.push_back(name + ending);
      }
      if (!look.scatter.empty()) add({{look.scatter.first, look.scatter.second}});
      if (!look.band.empty()) add({{look.band.first, look.band.second}});
      add(look.spells.columns());
      all.push_back("partial");
    }
  }
  if (!used) return std::nullopt;
  return all;
}

/// Whether it is told where in a source's text records stand: of those that settling rejects or
/// merges, and in a report.
bool Making::needs_places(const PlanSource& source) const {
  if (has_report_) return true;
  return std::ranges::any_of(plan_.series, [&](const PlanSeries& series) {
    const bool is_used = std::ranges::any_of(
        series.from, [&](const std::string& name) { return stands_for(name, source); });
    const Settle settling = settling_of(series);
    return is_used && (settling.duplicates == Duplicates::reject || !settling.merged.empty());
  });
}

/// Times outside of which no series that is made of a source looks at it; nothing when one looks at
/// all of them.
std::optional<TimeRange> Making::time_needed(const PlanSource& source) const {
  if (source.reshape || source.stamp || has_report_) return std::nullopt;
  const auto is_it = [&](const std::string& name) { return stands_for(name, source); };
  std::optional<TimeRange> all;
  for (const auto& series : plan_.series) {
    if (std::ranges::none_of(series.from, is_it)) continue;
    const auto step = std::ranges::find_if(series.steps, [](const PlanStep& plan_step) {
      return plan_step.step.as<Settle>() == nullptr;
    });
    if (step == series.steps.end() || series.from.size() > 1) return std::nullopt;
    // Strands that are made anew stand in the order in which they first appear.
    const bool anew = std::any_of(series.steps.begin(), step, [](const PlanStep& plan_step) {
      return !plan_step.step.as<Settle>()->key.empty();
    });
    if (anew) return std::nullopt;
    std::optional<TimeRange> needed;
    try {
      needed = step->step.time_needed(source.read.zone);
    } catch (const Error&) {  // the step will tell what is wrong
    }
    if (!needed) return std::nullopt;
    if (!all) all = needed;
    all->from = std::min(all->from, needed->from);
    all->until = std::max(all->until, needed->until);
  }
  for (const auto& output : plan_.outputs) {
    if (is_it(output.look.over) || std::ranges::any_of(output.from, is_it)) return std::nullopt;
  }
  return all;
}

/// The one step that looks at a source's rows, when they need not be kept for anything else; null
/// when there are others.
const Step* Making::only_step_on(const PlanSource& source) const {
  if (has_report_) return nullptr;
  const auto is_it = [&](const std::string& name) { return stands_for(name, source); };
  const Step* only = nullptr;
  for (const auto& series : plan_.series) {
    if (std::ranges::none_of(series.from, is_it)) continue;
    if (only != nullptr || series.from.size() != 1 || series.from[0] != source.name) return nullptr;
    const std::size_t first = settles_first(series) ? 1 : 0;
    if (first == series.steps.size() || settling_of(series) != Settle{}) return nullptr;
    only = &series.steps[first].step;
  }
  for (const auto& output : plan_.outputs) {
    if (is_it(output.look.over) || std::ranges::any_of(output.from, is_it)) return nullptr;
  }
  return only;
}

void Making::read_sources() {
  std::exception_ptr failed;
  try {
    for (SourceRun& run : runs_) {
      const Step* const step = only_step_on(run.source());
      if (step == nullptr || !run.read_in_stretches(watching_, *step)) run.read(watching_);
      watching_.finish();
      if (has_report_) pages_.emplace(&run, run.page());
    }
    // All ways of settling first: what they reject is set aside before anything can fail.
    for (const auto& series : plan_.series) {
      for (const auto& name : series.from) {
        if (SourceRun* run = source(name)) run->settled(settling_of(series));
      }
    }
    for (const auto& output : plan_.outputs) {
      for (const auto& name : output.from) {
        if (SourceRun* run = source(name)) run->settled(Settle{});
      }
      if (SourceRun* run = source(output.look.over)) run->settled(Settle{});
    }
  } catch (const Stopped&) {
    throw;
  } catch (...) {
    failed = std::current_exception();
  }
  for (const SourceRun& run : runs_) run.set_aside(!plan_.path.empty());
  if (failed) std::rethrow_exception(failed);
  for (const SourceRun& run : runs_) run.check();
  for (SourceRun& run : runs_) {
    for (SideTable& side : run.beside()) beside_.push_back(std::move(side));
    run.beside().clear();
    run.let_go();
  }
}

const InputReader& Making::reader() const { return looks_ ? look_reader() : run_reader(); }

std::map<std::string, std::string> Making::read_heads(std::size_t bytes) {
  looks_ = true;
  std::map<std::string, std::string> unseen;
  for (const auto& source : plan_.sources) {
    SourceRun& run = runs_[run_of_.at(source.name)];
    if (unseen.contains(run.source().name) || (run.account() != nullptr)) continue;
    std::error_code error;
    const auto files = source_files(source.file.path);
    if (files.empty() || !fs::is_regular_file(files[0], error)) {
      const bool is_there =
          source.file.path == "-" || (!files.empty() && fs::exists(files[0], error));
      unseen[source.name] = is_connection(source.file.path) ? "it is a database"
                            : is_there                      ? "it is no regular file"
                                                            : "there is no such file";
    } else {
      try {
        run.read(watching_, bytes);
      } catch (const Error&) {
        try {
          // What the first part can't tell (which way round its dates are, say) the whole may.
          run.read(watching_);
        } catch (const Error& whole) {
          unseen[source.name] = whole.what();
        }
      }
    }
    if (unseen.contains(source.name)) failed_.insert(source.name);
  }
  return unseen;
}

const Product* Making::product(const std::string& name) {
  if (failed_.contains(name)) return nullptr;
  if (const auto made = made_.find(name); made != made_.end()) return &made->second;
  const auto known = plain_.find(name);
  if (known != plain_.end()) return &known->second;
  SourceRun* run = source(name);
  if (run == nullptr) return nullptr;
  const Timeline& timeline = run->settled(Settle{});
  return &plain_.emplace(name, Product{timeline.named(name), std::nullopt, timeline.zone()})
              .first->second;
}

void Making::make_series(const AfterStep& after_step) {
  for (const auto& series : plan_.series) make(series, after_step);
}

/// Whether nothing comes of a series but pictures.
bool Making::is_only_drawn(const std::string& series) const {
  bool drawn = false;
  for (const auto& output : plan_.outputs) {
    if (std::ranges::find(output.from, series) == output.from.end()) continue;
    if (output.figure.empty()) return false;
    drawn = true;
  }
  return drawn && std::ranges::none_of(plan_.series, [&](const PlanSeries& other) {
           return std::ranges::find(other.from, series) != other.from.end();
         });
}

/// What a step makes. Of the beginnings of sources alone a limit says nothing: rows go on as they
/// are. And what is made to be drawn alone is drawn all the same, where the step has it to show.
Made Making::applied(const PlanSeries& series, std::size_t step, const Step& prepared,
                     std::span<const Timeline> in) const {
  try {
    return prepared.apply(in);
  } catch (const Error& error) {
    if (error.kind() != Error::Kind::limit) throw;
    if (looks_ && in.size() == 1) return in[0];
    if (step + 1 == series.steps.size() && is_only_drawn(series.name)) {
      if (auto seen = prepared.look(in)) return *std::move(seen);
    }
    throw;
  }
}

/// What a step makes; the first one on a source's rows may have had them already.
Made Making::made_by(const PlanSeries& series, std::size_t i, std::span<const Timeline> in) {
  if (i == (settles_first(series) ? 1U : 0U)) {
    SourceRun* const run = source(series.from[0]);
    if (run != nullptr) {
      if (auto made = run->made_in_stretches()) return *std::move(made);
    }
  }
  Step step = series.steps[i].step;
  step.prepare(reader());
  return applied(series, i, step, in);
}

void Making::make(const PlanSeries& series, const AfterStep& after_step) {
  // What the next step works on: the inputs, then what the step before made.
  std::vector<Timeline> current;
  for (const auto& name : series.from) {
    if (failed_.contains(name)) {
      failed_.insert(series.name);
      return;
    }
    if (SourceRun* run = source(name)) {
      const Timeline& settled = run->settled(settling_of(series));
      current.push_back(settled.name() == name ? settled : settled.named(name));
    } else {
      const auto made = made_.find(name);
      if (made == made_.end() || !made->second.timeline) {
        failed_.insert(series.name);
        return;
      }
      current.push_back(*made->second.timeline);
    }
  }
  const std::string& label = series.called.empty() ? series.name : series.called;
  Product product{std::nullopt, std::nullopt, current[0].zone()};
  const PlanStep* at = nullptr;
  try {
    for (std::size_t i = 0; i < series.steps.size(); ++i) {
      at = &series.steps[i];
      const bool done = i == 0 && settles_first(series);
      watching_.begin(series.name, at->step.name());
      if (!done) {
        Made made = made_by(series, i, current);
        made.did.series = label;
        if (has_report_ && made.timeline) {
          changes_.note(steps_.size(), made.did, current, *made.timeline);
        }
        product.made_by = made.did.step;
        product.material = std::move(made.material);
        steps_.push_back(std::move(made.did));
        for (SideTable& side : made.beside) beside_.push_back(std::move(side));
        current.clear();
        if (made.timeline) current.push_back(std::move(*made.timeline));
        product.table = std::move(made.table);
      }
      watching_.finish();
      if (after_step) {
        product.timeline.reset();
        if (!current.empty()) product.timeline = current[0];
        after_step(series, i, product);
      }
    }
  } catch (const Error& error) {
    add_mistake(place_of(plan_, at->line, series.name, at->step.name(), series.stands_in), error,
                at->line);
    failed_.insert(series.name);
    // Data that passed a limit is in the account, which is written all the same.
    if (error.kind() == Error::Kind::limit) {
      StepAccount step{.step = std::string(at->step.name()), .what = at->step.options_text()};
      for (const Timeline& timeline : current) {
        step.rows_in += static_cast<std::int64_t>(timeline.rows());
      }
      step.notes.emplace_back(error.what());
      step.series = label;
      steps_.push_back(std::move(step));
    }
    return;
  } catch (const Stopped&) {
    throw;
  } catch (const std::bad_alloc&) {
    std::size_t rows = 0;
    for (const Timeline& timeline : current) rows += timeline.rows();
    const Error error(Error::Kind::input,
                      fmt::format("needs more memory than there is, for {} rows in; a longer "
                                  "period or fewer buckets, fewer columns, or a stretch of the "
                                  "records at a time take less",
                                  grouped(static_cast<std::int64_t>(rows))));
    add_mistake(place_of(plan_, at->line, series.name, at->step.name(), series.stands_in), error,
                at->line);
    failed_.insert(series.name);
    return;
  } catch (const std::exception& thrown) {
    // Of a step of the program's own.
    add_mistake(place_of(plan_, at->line, series.name, at->step.name(), series.stands_in),
                Error(Error::Kind::usage, thrown.what()), at->line);
    failed_.insert(series.name);
    return;
  }
  product.timeline.reset();
  if (!current.empty()) {
    const bool named = current[0].name() == label;
    product.timeline = named ? std::move(current[0]) : current[0].named(label);
  }
  made_.emplace(series.name, std::move(product));
}

void Making::add_mistake(const std::string& place, const Error& error, std::int64_t line) {
  // Messages that begin with the step's name do not say it twice.
  std::string_view what = error.what();
  const std::size_t colon = place.rfind(": ");
  const std::size_t before = colon == std::string::npos || colon == 0
                                 ? std::string::npos
                                 : place.find_last_of(" ", colon - 1);
  const std::string step =
      colon == std::string::npos
          ? std::string()
          : place.substr(before == std::string::npos ? 0 : before + 1,
                         colon - (before == std::string::npos ? 0 : before + 1));
  if (!step.empty() && what.starts_with(step + ": ")) what.remove_prefix(step.size() + 2);
  const std::string_view where = std::string_view(place).substr(0, place.rfind(": "));
  Error::Parts parts = error.parts();
  parts.place = parts.place.empty() || where.ends_with(parts.place) ? std::string(where)
                                                                    : place + parts.place;
  mistakes_.push_back({line, Error(error.kind(), place + std::string(what), std::move(parts)),
                       std::current_exception()});
}

void Making::check_mistakes() const {
  if (mistakes_.empty()) return;
  std::string all;
  for (const Mistake& mistake : mistakes_) {
    all += (all.empty() ? "" : "\n") + std::string(mistake.error.what());
  }
  const Error& first = mistakes_[0].error;
  const Error error(first.kind(), all, first.parts());
  if (mistakes_[0].cause == nullptr) throw error;
  try {
    std::rethrow_exception(mistakes_[0].cause);
  } catch (...) {
    std::throw_with_nested(error);
  }
}

std::vector<PageSource> Making::page_sources(const std::vector<std::string>& names) const {
  std::vector<PageSource> pages;
  std::vector<const SourceRun*> done;
  for (const auto& source : plan_.sources) {
    const SourceRun* run = &runs_[run_of_.at(source.name)];
    const bool wanted = names.empty() || std::ranges::find(names, source.name) != names.end() ||
                        std::ranges::any_of(names, [&](const std::string& name) {
                          return is_made_of(name, source.name);
                        });
    const auto page = pages_.find(run);
    if (!wanted || page == pages_.end() || std::ranges::find(done, run) != done.end()) continue;
    done.push_back(run);
    pages.push_back(page->second);
    pages.back().judgement.account = run->account();
  }
  return pages;
}

std::vector<PageSource> Making::page_series(const std::vector<std::string>& names) const {
  std::vector<PageSource> pages;
  for (const auto& series : plan_.series) {
    const bool wanted = names.empty() || std::ranges::find(names, series.name) != names.end();
    const auto made = made_.find(series.name);
    if (!wanted || made == made_.end() || !made->second.timeline) continue;
    pages.push_back(page_series_of(*made->second.timeline));
    if (!series.called.empty()) pages.back().timeline = pages.back().timeline.named(series.called);
  }
  return pages;
}

void Making::put_changes(PageContent& content) const {
  // Steps of sources stand before those of series.
  std::size_t before = 0;
  for (const SourceRun& run : runs_) before += run.steps().size();
  content.changes = changes_.changes();
  content.all_changes = changes_.all_changes();
  content.stretches = changes_.stretches();
  for (PageChange& change : content.changes) change.step += before;
  for (PageStretch& stretch : content.stretches) stretch.step += before;
}

/// Whether a series is made of a source, at first or second hand.
bool Making::is_made_of(const std::string& series, const std::string& source) const {
  const auto at = std::ranges::find(plan_.series, series, &PlanSeries::name);
  if (at == plan_.series.end()) return false;
  return std::ranges::any_of(at->from, [&](const std::string& from) {
    return from == source || is_made_of(from, source);
  });
}

Account Making::account() const {
  Account account;
  for (const SourceRun& run : runs_) {
    if (run.account() != nullptr) account.sources.push_back(run.account());
    account.steps.insert(account.steps.end(), run.steps().begin(), run.steps().end());
  }
  account.steps.insert(account.steps.end(), steps_.begin(), steps_.end());
  return account;
}

}  // namespace zerobeat::detail
