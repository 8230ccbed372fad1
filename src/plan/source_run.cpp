#include "plan/source_run.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <stdexcept>
#include <zerobeat/align/clock/findings.hpp>
#include <zerobeat/base/text.hpp>
#include <zerobeat/judge/stacked.hpp>

#include "io/source/read_task.hpp"
#include "plan/paths.hpp"

namespace zerobeat::inline v1::detail {

namespace {

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

ReadTask SourceRun::task(Watching& watching) const {
  ReadTask read = source_.read;
  read.judge_only = judge_only_;
  read.go_on_ambiguous = judge_only_ || judging_;
  read.decode = decode_;
  read.lines_only = lines_only_ && source_.read.repeated != Repeated::order;
  if (!judging_ && source_.limits.rejects.empty()) read.wanted_time = wanted_time_;
  // More are neither shown nor looked at.
  constexpr std::size_t shown_at_most = 10'000;
  if (source_.limits.rejects.empty()) read.most_faults = shown_at_most;
  watching.begin(source_.name, "read");
  read.on_read = [&](std::size_t bytes, std::size_t total) { watching.done(bytes, total); };
  return read;
}

void SourceRun::take_records(Records records, double seconds) {
  records_ = std::move(records);
  records_->name = source_.name;
  SourceAccount account = *records_->source;
  account.name = source_.name;
  account.seconds = seconds;
  records_->source = read_ = std::make_shared<const SourceAccount>(std::move(account));
}

void SourceRun::read(Watching& watching, std::size_t head_bytes) {
  const auto start = std::chrono::steady_clock::now();
  ReadTask read = task(watching);
  read.head_bytes = head_bytes;
  const Source& file = opened();
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
  take_records(read_records(file, read), seconds_since(start));
  // One whose columns are judged and not kept may be looked at once more.
  if (!read.judge_only || read.untimed) file_.reset();
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

const Source& SourceRun::opened() {
  if (!file_) file_.emplace(source_.file.path);
  return *file_;
}

bool SourceRun::read_in_stretches(Watching& watching, const Step& step) {
  if (source_.stamp || source_.reshape || source_.read.repeated == Repeated::order) return false;
  if (!step.begin_stretches()) return false;
  const auto start = std::chrono::steady_clock::now();
  StretchWork work;
  const auto begin = [&]() -> TakeRecords {
    work = *step.begin_stretches();
    return [&](const Records& records, bool is_last) -> std::optional<std::vector<Instant>> {
      try {
        Timeline stretch = settle(records, Settle{});
        if (stretch.name() != source_.name) stretch = stretch.named(source_.name);
        return work.take(stretch, is_last);
      } catch (const Error&) {
        return std::nullopt;  // where it belongs it is thrown again
      }
    };
  };
  auto records = detail::read_in_stretches(opened(), task(watching), begin);
  if (!records) return false;
  file_.reset();
  take_records(*std::move(records), seconds_since(start));
  stretched_ = std::move(work);
  return true;
}

std::optional<Made> SourceRun::made_in_stretches() {
  if (!stretched_) return std::nullopt;
  const StretchWork work = *std::exchange(stretched_, std::nullopt);
  return work.finish(settled(Settle{}), read_->kept);
}

Timeline SourceRun::first_timeline() {
  return long_rows_ ? *long_rows_ : settle(*records_, Settle{});
}

void SourceRun::take_settled(const Settle& options, Made made) {
  if (stretched_) {
    // The rows went through it stretch by stretch.
    made.did.rows_in = made.did.rows_out = read_->kept;
    Timeline::Parts parts = made.timeline->parts();
    parts.account.steps.back() = made.did;
    made.timeline = Timeline(std::move(parts));
  }
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

PageSource SourceRun::page() const { return page_source(*records_); }

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

}  // namespace zerobeat::detail
