#include "plan/making.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <stdexcept>
#include <zerobeat/align/clock/findings.hpp>
#include <zerobeat/base/text.hpp>
#include <zerobeat/io/source_name.hpp>
#include <zerobeat/judge/stacked.hpp>

#include "io/source/read_task.hpp"
#include "plan/paths.hpp"

namespace zerobeat::inline v1::detail {

namespace {

namespace fs = std::filesystem;

double seconds_since(std::chrono::steady_clock::time_point start) {
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

/// The first line of a key's records; 0 without one.
std::uint64_t first_line_of(const Records& records, const std::optional<std::string>& key) {
  if (!key || !records.keys) return 0;
  for (std::size_t i = 0; i < records.size(); ++i) {
    if (records.keys->text(i) == *key) return records.places->line(i);
  }
  return 0;
}

/// What is found of the clocks of a source's strands.
std::vector<Finding> clocks_of(const Timeline& timeline, const Records& records,
                               const std::string& column) {
  std::vector<Finding> findings;
  try {
    for (ClockFinding& clock_finding : clock_findings(timeline, column)) {
      clock_finding.finding.first_line = first_line_of(records, clock_finding.key);
      findings.push_back(std::move(clock_finding.finding));
    }
  } catch (const Error& error) {
    fail_usage("check: ‹tune› {}: {}", shown(column), error.what());
  }
  return findings;
}

/// Sources that are one file read in one way are one source.
bool are_one(const PlanSource& a, const PlanSource& b) {
  const auto texts = [](const auto& options) {
    std::string all;
    auto copy = options;
    for (const auto& option : bind_options(copy)) all += option.get() + "\n";
    return all;
  };
  return a.file == b.file && texts(a.read) == texts(b.read) && a.limits == b.limits &&
         a.stamp == b.stamp && a.reshape == b.reshape;
}

const InputReader& run_reader() {
  static const InputReader reader{read_calendar};
  return reader;
}

/// Touches no file: holidays are none.
const InputReader& look_reader() {
  static const InputReader reader{[](const WorkingDays& days) {
    return days.calendar.value_or(Calendar(days.weekend.value_or(Weekend{}), {}));
  }};
  return reader;
}

TimestampOptions reading_of_names(const PlanSource& source) {
  return {.format = source.read.time_format,
          .zone = source.read.zone,
          .repeated = Repeated::earlier,
          .skipped = Skipped::forward};
}

}  // namespace

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

namespace {

/// Where the times that were given begin, in which zone, and how fast they go.
std::vector<std::string> stamp_notes(const Records& before, const Records& after) {
  if (after.size() == 0) return {};
  const auto times = after.times.times();
  std::string text;
  if (after.time.axis.is_instants()) {
    text = fmt::format("the times begin at {}, in zone {}", to_text(times.front()),
                       after.time.zone.name());
  } else {
    text = fmt::format("the times are {}", to_text(after.time.axis));
  }
  // Records before them, kept or not.
  const auto numbers = before.times.times();
  const auto steps = static_cast<double>((numbers.back() - numbers.front()).count());
  const double seconds = std::chrono::duration<double>(times.back() - times.front()).count();
  if (steps > 0 && seconds > 0) {
    text += fmt::format("; {:.6g} records a second", steps / seconds);
  }
  return {text};
}

}  // namespace

void SourceRun::note(StepAccount step) {
  step.series = source_.name;
  steps_.push_back(std::move(step));
}

Judgement SourceRun::judged(const JudgeOptions& judging, Watching& watching,
                            const std::string& tune) {
  // Strands and late decisions need the columns; else they are judged as they are read.
  judging_ = true;
  judge_only_ = source_.read.key.empty() && source_.read.repeated != Repeated::order;
  read(watching);
  Judgement judgement = judge(*records_, judging);
  if (judge_only_ && file_ && may_be_stacked(*records_, judgement)) {
    // The columns were not kept. Of times in disorder all are read again, for series may stand one
    // after the other; of times without a rhythm the source's head will do.
    ReadTask again = source_.read;
    again.go_on_ambiguous = true;
    if (!in_disorder(judgement)) again.head_bytes = std::size_t{1} << 22;
    if (const auto stacked = find_stacked(read_records(*file_, again))) {
      add_findings(judgement, std::span(&*stacked, 1));
    }
  }
  file_.reset();
  if (!tune.empty()) add_findings(judgement, clocks_of(settle(*records_), *records_, tune));
  return judgement;
}

void SourceRun::read(Watching& watching, std::size_t head_bytes) {
  const auto start = std::chrono::steady_clock::now();
  ReadTask read = source_.read;
  read.judge_only = judge_only_;
  read.go_on_ambiguous = judge_only_ || judging_;
  read.decode = decode_;
  if (!judging_ && source_.limits.rejects.empty()) read.wanted_time = wanted_time_;
  // More are neither shown nor looked at.
  constexpr std::size_t shown_at_most = 10'000;
  if (source_.limits.rejects.empty()) read.most_faults = shown_at_most;
  read.head_bytes = head_bytes;
  watching.begin(source_.name, "read");
  read.on_read = [&](std::size_t bytes, std::size_t total) { watching.done(bytes, total); };
  const Source file(source_.file.path);
  const auto names = reading_of_names(source_);
  const bool may_be_dates = source_.reshape && source_.reshape->into == Reshape::Into::long_rows;
  if (source_.stamp && !source_.read.time.empty()) {
    fail_usage("stamp: ‹time› {}: stamp is for records without a time; see settle",
               source_.read.time);
  }
  read.untimed = source_.stamp.has_value() || may_be_dates;
  if (may_be_dates) {
    read.time_format = {};
    read.date_order.reset();
  }
  records_ = read_records(file, read);
  if (read.judge_only && !read.untimed) file_ = file;
  records_->name = source_.name;
  SourceAccount account = *records_->source;
  account.name = source_.name;
  account.seconds = seconds_since(start);
  records_->source = read_ = std::make_shared<const SourceAccount>(std::move(account));
  if (source_.stamp) {
    const auto begun = std::chrono::steady_clock::now();
    Stamp stamping = *source_.stamp;
    read_inputs(stamping, head_bytes == 0 ? run_reader() : look_reader());
    const auto rows = static_cast<std::int64_t>(records_->size());
    const Records before = *records_;
    records_ = stamp(before, stamping);
    note({.step = std::string(Stamp::name),
          .what = describe_options(*source_.stamp),
          .rows_in = rows,
          .rows_out = rows,
          .notes = stamp_notes(before, *records_),
          .seconds = seconds_since(begun)});
  }
  if (may_be_dates) {
    long_rows_ = columns_as_times(*records_, *source_.reshape, names, source_.read.date_order);
    note(long_rows_->account().last());
  }
}

Timeline SourceRun::first_timeline() {
  return long_rows_ ? *long_rows_ : settle(*records_, Settle{});
}

void SourceRun::take_settled(const Settle& options, Made made) {
  note(std::move(made.did));
  for (SideTable& side : made.beside) beside_.push_back(std::move(side));
  settled_.emplace_back(options, std::move(*made.timeline));
}

const Timeline& SourceRun::settled(const Settle& options) {
  for (const auto& [own, timeline] : settled_) {
    if (own == options) return timeline;
  }
  if (!records_) throw std::logic_error("a source's records were let go of");
  if (!long_rows_) {
    take_settled(options, settle_and_list(*records_, options));
  } else if (options == Settle{}) {
    settled_.emplace_back(options, *long_rows_);
  } else {
    take_settled(options, settle_and_list(*long_rows_, options));
  }
  return settled_.back().second;
}

void SourceRun::let_go() {
  records_.reset();
  long_rows_.reset();
}

std::shared_ptr<const SourceAccount> SourceRun::account() const {
  // Ways of settling differ only in what they reject or merge further.
  std::shared_ptr<const SourceAccount> most = read_;
  for (const auto& [options, timeline] : settled_) {
    const auto& own = timeline.account().sources.front();
    if (own->rejected > most->rejected || own->merged > most->merged) most = own;
  }
  return most;
}

void SourceRun::set_aside(bool make_folder) const {
  if (source_.limits.rejects.empty() || read_ == nullptr) return;
  const std::string& path = source_.limits.rejects.path;
  if (make_folder) make_folder_of(path);
  Output output(path);
  write_rejects_header(*account(), output);
  write_rejects(*account(), output);
  output.commit();
}

void SourceRun::check() const {
  if (read_ != nullptr) check_limits(*account(), source_.limits);
}

Making::Making(const Plan& plan, Watching& watching) : plan_(plan), watching_(watching) {
  runs_.reserve(plan.sources.size());
  for (const auto& source : plan.sources) {
    const auto same = std::ranges::find_if(
        runs_, [&](const SourceRun& run) { return are_one(run.source(), source); });
    run_of_[source.name] = static_cast<std::size_t>(same - runs_.begin());
    if (same == runs_.end()) {
      runs_.emplace_back(source, columns_needed(source), time_needed(source));
    }
  }
}

SourceRun* Making::source(const std::string& name) {
  const auto at = run_of_.find(name);
  return at == run_of_.end() ? nullptr : &runs_[at->second];
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
  if (source.reshape) return std::nullopt;
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
      // Merging duplicates goes by key and time alone, and leaves each column to itself.
      if (step == series.steps.end() || !add(step->step.columns_needed(from))) return std::nullopt;
    }
  }
  for (const auto& output : plan_.outputs) {
    const bool over = output.look.over == source.name;
    for (const auto& from : output.from) {
      if (!is_it(from) && !over) continue;
      const Figure& look = output.look;
      const bool named = !output.figure.empty() && output.look.by.empty() && !look.y.empty();
      if (!named) return std::nullopt;
      // Of a source that has none of them, all numeric ones are drawn; then all are read.
      add(look.y);
      add(look.y2);
      add(look.spells.columns());
      all.push_back("partial");
    }
  }
  if (!used) return std::nullopt;
  return all;
}

/// Times outside of which no series that is made of a source looks at it; nothing when one looks at
/// all of them.
std::optional<TimeRange> Making::time_needed(const PlanSource& source) const {
  if (source.reshape || source.stamp) return std::nullopt;
  const auto is_it = [&](const std::string& name) { return stands_for(name, source); };
  std::optional<TimeRange> all;
  for (const auto& series : plan_.series) {
    if (std::ranges::none_of(series.from, is_it)) continue;
    const auto step = std::ranges::find_if(series.steps, [](const PlanStep& plan_step) {
      return plan_step.step.as<Settle>() == nullptr;
    });
    if (step == series.steps.end() || series.from.size() > 1) return std::nullopt;
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

void Making::read_sources() {
  std::exception_ptr failed;
  try {
    for (SourceRun& run : runs_) {
      run.read(watching_);
      watching_.finish();
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
      // The first step of a series made from a source settles its records; that is done.
      const bool done = i == 0 && series.from.size() == 1 && source(series.from[0]) != nullptr &&
                        at->step.as<Settle>() != nullptr;
      watching_.begin(series.name, at->step.name());
      if (!done) {
        Step step = at->step;
        step.prepare(reader());
        Made made = step.apply(current);
        made.did.series = label;
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
