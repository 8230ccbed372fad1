#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <zerobeat/base/text.hpp>
#include <zerobeat/judge/source_account.hpp>
#include <zerobeat/regular/resample.hpp>
#include <zerobeat/table/step_timer.hpp>

#include "base/trim.hpp"
#include "base/wide.hpp"
#include "kernel/bucket/standing.hpp"
#include "kernel/bucket/taken.hpp"
#include "kernel/counters.hpp"
#include "regular/buckets.hpp"
#include "regular/resample_level.hpp"

namespace zerobeat::inline v1 {

namespace {

using detail::Bucket;
using detail::Buckets;

/// Which takes of which buckets have too few readings or too little coverage.
class Withholding {
 public:
  Withholding(const Timeline& timeline, const Buckets& buckets, const Resample& options)
      : timeline_(timeline), buckets_(buckets), options_(options) {}

  Column operator()(const Take& take, Column taken) {
    if (take.of_records || (!options_.min_count && !options_.min_coverage)) return taken;
    const Column& column = timeline_.values().column(take.column);
    std::vector<double> shares;
    if (options_.min_coverage) shares = detail::coverage_of(timeline_, buckets_, column);
    std::vector<std::int64_t> rows(buckets_.all.size());
    for (std::size_t i = 0; i < rows.size(); ++i) {
      const bool few = options_.min_count &&
                       detail::count_readings(column, buckets_.all[i]) < *options_.min_count;
      // A hair below is what rounding leaves of the share itself.
      const bool thin = options_.min_coverage && shares[i] < *options_.min_coverage - 1e-12;
      rows[i] = few || thin ? -1 : static_cast<std::int64_t>(i);
      if (!(few || thin) || !taken.valid(i)) continue;
      if (withheld_.empty() || withheld_.back().take != take.name) {
        withheld_.push_back({take.name, i, 0});
      }
      ++withheld_.back().count;
    }
    return taken.gather(rows);
  }

  /// Of a take, how many buckets' were withheld, and the first of these.
  struct Withheld {
    std::string take;
    std::size_t first = 0;
    std::int64_t count = 0;
  };
  const std::vector<Withheld>& withheld() const { return withheld_; }

 private:
  const Timeline& timeline_;
  const Buckets& buckets_;
  const Resample& options_;
  std::vector<Withheld> withheld_;
};

Instant label_of(const Timeline& timeline, const Bucket& bucket, const Resample& options) {
  switch (options.row_at) {
    case Resample::RowAt::end:
      // A bucket that records close ends with its last one.
      return detail::are_closed_by_records(options) ? timeline.times()[bucket.end - 1]
                                                    : bucket.stop;
    case Resample::RowAt::middle: {
      const auto length =
          static_cast<Wide>(nanoseconds_of(bucket.stop)) - nanoseconds_of(bucket.start);
      return bucket.start + Nanoseconds(static_cast<std::int64_t>(length / 2));
    }
    case Resample::RowAt::start:
      break;
  }
  return bucket.start;
}

std::string time_text(Instant t, const Axis& axis) {
  if (axis.is_instants()) return to_text(t);
  std::string text;
  append_elapsed(text, t, *axis.elapsed);
  return text;
}

}  // namespace

detail::Level detail::level_of(const Timeline& timeline, const Resample& options,
                               const std::vector<Take>& takes, const Buckets& buckets,
                               const std::string& of) {
  Buffer<Instant> labels(buckets.all.size());
  for (std::size_t i = 0; i < labels.size(); ++i) {
    labels[i] = label_of(timeline, buckets.all[i], options);
  }
  auto taken = detail::take_all(timeline, buckets, takes, labels.span());

  Level level{timeline.parts(), buckets.notes};
  level.parts.strands = buckets.strands;
  level.parts.times = Column::times(std::move(labels));
  level.parts.values = Table(buckets.all.size());
  Withholding withhold(timeline, buckets, options);
  for (std::size_t k = 0; k < takes.size(); ++k) {
    level.parts.values.add(
        takes[k].name, on_axis(withhold(takes[k], std::move(taken.columns[k])), timeline.axis()));
  }
  if (options.partial == Resample::Partial::mark) {
    Buffer<std::uint64_t> bits((buckets.all.size() + 63) / 64, 0);
    for (std::size_t i = 0; i < buckets.all.size(); ++i) {
      bits[i / 64] |= std::uint64_t{buckets.all[i].partial} << (i % 64);
    }
    level.parts.values.add("partial", Column::booleans(std::move(bits), buckets.all.size()));
  }
  const auto note = [&](std::int64_t count, const char* what) {
    if (count > 0) level.notes.push_back(fmt::format("{} {}", grouped(count), what) + of);
  };
  const bool spans = options.span.kind == BucketSpan::Kind::range;
  note(static_cast<std::int64_t>(buckets.outside),
       !spans           ? "records outside the hours were left out"
       : !options.hours ? "records outside the span were left out"
                        : "records outside the hours or the span were left out");
  note(static_cast<std::int64_t>(buckets.dropped), "partial buckets were dropped");
  for (const auto& held : withhold.withheld()) {
    if (detail::is_of_counter_steps(held.take)) continue;
    level.notes.push_back(fmt::format(
        "{} of {} were withheld, the first at {}: too few readings, or too little coverage{}",
        grouped(held.count), shown(held.take),
        time_text(level.parts.times.times()[held.first], timeline.axis()), of));
  }
  for (auto& own : taken.notes) level.notes.push_back(std::move(own));
  return level;
}

namespace {

using detail::Level;

/// The rows of the buckets of one length; unset: of those that are closed otherwise.
Level rows_of(const Timeline& timeline, const Resample& options, const std::vector<Take>& takes,
              const std::optional<Period>& every) {
  const bool with_steps =
      options.min_coverage || std::ranges::any_of(takes, detail::needs_typical_step);
  const Buckets buckets = detail::find_buckets(timeline, options, every, with_steps);
  const bool several = every && detail::levels_of(options).size() > 1;
  return detail::level_of(timeline, options, takes, buckets,
                          several ? fmt::format(" of {}", to_text(*every)) : std::string());
}

/// The rows of all levels, strand by strand in order of time, the longest period first.
Timeline::Parts merged(std::vector<Level>& levels, const std::vector<Period>& periods) {
  std::size_t rows = 0;
  for (const Level& level : levels) rows += level.parts.times.size();
  // Rows of all levels one after the other, to gather from.
  Buffer<Instant> times(rows);
  Buffer<std::int32_t> codes(rows);
  std::vector<std::size_t> offsets;
  std::size_t at = 0;
  for (std::size_t l = 0; l < levels.size(); ++l) {
    offsets.push_back(at);
    for (const Instant t : levels[l].parts.times.times()) {
      times[at] = t;
      codes[at++] = static_cast<std::int32_t>(l);
    }
  }
  std::vector<std::int64_t> order;
  order.reserve(rows);
  Timeline::Parts out = levels[0].parts;
  for (std::size_t s = 0; s < out.strands.size(); ++s) {
    const std::size_t begin = order.size();
    for (std::size_t l = 0; l < levels.size(); ++l) {
      const Strand& strand = levels[l].parts.strands[s];
      for (std::size_t i = strand.begin; i < strand.end; ++i) {
        order.push_back(static_cast<std::int64_t>(offsets[l] + i));
      }
    }
    std::stable_sort(order.begin() + static_cast<std::ptrdiff_t>(begin), order.end(),
                     [&](std::int64_t a, std::int64_t b) {
                       return times[static_cast<std::size_t>(a)] <
                              times[static_cast<std::size_t>(b)];
                     });
    out.strands[s].begin = begin;
    out.strands[s].end = order.size();
  }
  auto words = std::make_shared<Column::Dictionary>();
  for (const Period& period : periods) words->push_back(to_text(period));
  Table values(rows);
  values.add("level", Column::text(std::move(codes), words).gather(order));
  for (const auto& name : out.values.names()) {
    std::vector<Column> parts;
    for (const Level& level : levels) parts.push_back(level.parts.values.column(name));
    values.add(name, concatenate(parts).gather(order));
  }
  out.times = Column::times(std::move(times)).gather(order);
  out.values = std::move(values);
  return out;
}

/// Where there is nothing to take the mean of, and nobody said what to take instead.
[[noreturn]] void refuse_without_numbers(const Timeline& timeline) {
  std::string names, notes;
  for (const auto& name : timeline.values().names()) {
    names += (names.empty() ? "" : ", ") + shown(name);
  }
  // What reading noticed of them may be the reason.
  for (const auto& source : timeline.account().sources) {
    for (const auto& note : source->notes) notes += "\n  " + note;
  }
  throw Error(
      Error::Kind::limit,
      fmt::format("resample: no column of {} holds numbers{}, so there is nothing to take "
                  "the mean of; say what to take, like ‹take› count(){}, or read a column "
                  "as numbers: ‹number›{}",
                  shown(timeline.name()), names.empty() ? "" : fmt::format(" (there is {})", names),
                  timeline.values().names().empty()
                      ? std::string()
                      : fmt::format(" or first({})", timeline.values().names()[0]),
                  notes));
}

/// The longest first. Of a month and of 35 days, months count 30 of them.
std::vector<Period> longest_first(std::vector<Period> periods) {
  const auto length = [](const Period& period) {
    return Wide(period.months) * 2'629'746'000'000'000 + Wide(period.days) * 86'400'000'000'000 +
           period.nanoseconds.count();
  };
  std::ranges::stable_sort(periods,
                           [&](const Period& a, const Period& b) { return length(a) > length(b); });
  return periods;
}

}  // namespace

Every::Every(const char* text) : Every(std::string(text)) {}
Every::Every(const std::string& text) { from_text(text, *this); }

void from_text(std::string_view text, Every& out) {
  Every read;
  for (const auto& part : split_commas(text)) from_text(part, read.levels.emplace_back());
  if (read.levels.empty()) fail_usage("\"{}\" names no period; write it like 15min or 1d", text);
  out = std::move(read);
}

std::string to_text(const Every& every) {
  std::string text;
  for (const Period& period : every.levels) text += (text.empty() ? "" : ",") + to_text(period);
  return text;
}

void from_text(std::string_view text, BucketSpan& out) {
  BucketSpan span;
  if (text == "own" || text == "all") {
    span.kind = text == "own" ? BucketSpan::Kind::own : BucketSpan::Kind::all;
    out = span;
    return;
  }
  const std::size_t comma = text.find(',');
  if (comma == std::string_view::npos || text.find(',', comma + 1) != std::string_view::npos) {
    fail_usage("\"{}\" is no span; it is own, all, or FROM,TO like 2025-10-20,2025-10-21",
               shown(text));
  }
  span.kind = BucketSpan::Kind::range;
  span.from = detail::trim(text.substr(0, comma));
  span.to = detail::trim(text.substr(comma + 1));
  for (const auto& side : {span.from, span.to}) {
    // On an elapsed axis it is a number.
    if (side.empty() || read_elapsed(side, ElapsedUnit::s)) continue;
    Moment moment;
    from_text(side, moment);
  }
  if (span.from.empty() && span.to.empty()) span = {.kind = BucketSpan::Kind::all};
  out = std::move(span);
}

std::string to_text(const BucketSpan& span) {
  switch (span.kind) {
    case BucketSpan::Kind::own:
      return "own";
    case BucketSpan::Kind::all:
      return "all";
    default:
      return span.from + "," + span.to;
  }
}

void from_text(std::string_view text, Amount& out) {
  const std::size_t colon = text.rfind(':');
  if (colon == std::string_view::npos || detail::trim(text.substr(0, colon)).empty()) {
    fail_usage("\"{}\" lacks a column or a size; write it like kg:1000", text);
  }
  Amount read;
  read.column = detail::trim(text.substr(0, colon));
  from_text(detail::trim(text.substr(colon + 1)), read.size);
  if (!(read.size > 0)) fail_usage("\"{}\": the size is above zero", text);
  out = std::move(read);
}

std::string to_text(const Amount& amount) {
  return fmt::format("{}:{}", amount.column, amount.size);
}

detail::Resampling detail::resampling_of(const Timeline& timeline, const Resample& options) {
  check_options(options);
  if (const auto* values = std::get_if<ByValue>(&options.every)) {
    fail_usage("‹by_value› {}: buckets of values have no time; see profile", to_text(*values));
  }
  for (const Take& take : options.take) {
    if (take.source.empty() || take.source == timeline.name()) continue;
    fail_usage("‹take› {}:{}: there is no source {}; this one is {}", take.source, to_text(take),
               take.source, timeline.name());
  }
  Resampling resampling;
  resampling.takes = plain_takes(
      resolve_takes(takes_of(options.take, timeline.name()), timeline.values(), Stat::mean,
                    TakenBy::buckets, "resample", timeline.time_name(), timeline.key_name()));
  const auto& takes = resampling.takes;
  if (options.take.empty() && takes.empty()) refuse_without_numbers(timeline);
  if (options.take.empty() && takes.size() < timeline.values().names().size()) {
    std::string left_out;
    for (const auto& name : timeline.values().names()) {
      if (timeline.values().column(name).is_numeric()) continue;
      left_out += (left_out.empty() ? "" : ", ") + shown(name);
    }
    resampling.notes.push_back("columns without numbers were left out: " + left_out +
                               "; ‹take› takes first, last, mode or count of them");
  }
  const bool levels_named = levels_of(options).size() > 1;
  for (const Take& take : takes) {
    const bool taken = (levels_named && take.name == "level") ||
                       (options.partial == Resample::Partial::mark && take.name == "partial");
    if (taken)
      fail_usage("two columns would be named \"{0}\"; give one a name: NAME={1}", take.name,
                 to_text(take));
  }
  return resampling;
}

Timeline resample(const Timeline& timeline, const Resample& options) {
  StepTimer timer(options, timeline);
  detail::Resampling resampling = detail::resampling_of(timeline, options);
  std::vector<Take>& takes = resampling.takes;
  for (auto& note : resampling.notes) timer.note(std::move(note));
  const auto all_levels = detail::levels_of(options);
  const bool levels_named = all_levels.size() > 1;
  const auto counters = detail::with_counter_steps(timeline, takes);
  if (counters) takes = counters->takes;
  const Timeline& source = counters ? counters->timeline : timeline;
  const auto finish = [&](Timeline::Parts parts) {
    if (counters) parts.values = detail::without_counter_steps(parts.values);
    return timer.finish(std::move(parts));
  };
  if (!levels_named) {
    std::optional<Period> every;
    if (!all_levels.empty()) every = all_levels[0];
    Level only = rows_of(source, options, takes, every);
    for (auto& note : only.notes) timer.note(std::move(note));
    return finish(std::move(only.parts));
  }
  const auto periods = longest_first(all_levels);
  std::vector<Level> levels;
  for (const Period& period : periods) {
    levels.push_back(rows_of(source, options, takes, period));
    for (auto& note : levels.back().notes) timer.note(std::move(note));
  }
  return finish(merged(levels, periods));
}

std::optional<std::vector<std::string>> columns_needed(const Resample& options,
                                                       std::string_view source) {
  auto names = columns_of(takes_of(options.take, source));
  if (!names) return names;
  if (const auto* sum = std::get_if<BySum>(&options.every)) names->push_back(sum->amount.column);
  if (const auto* value = std::get_if<ByValue>(&options.every)) {
    names->push_back(value->amount.column);
  }
  return names;
}

Reach reach(const Resample& options) {
  const auto levels = detail::levels_of(options);
  // The typical step is the whole strand's.
  const bool whole = options.span.kind == BucketSpan::Kind::all || levels.empty() ||
                     options.partial != Resample::Partial::keep || options.min_coverage ||
                     std::ranges::any_of(options.take, [](const Take& take) {
                       return detail::goes_by_standing(take.stat);
                     });
  if (whole) return {ReachSide::whole(), ReachSide::whole()};
  const ReachSide bucket = ReachSide::of(Extent(longest_first(levels)[0]));
  if (options.empty == Resample::Empty::keep) {
    return {options.row_at == Resample::RowAt::start ? ReachSide::none() : bucket,
            ReachSide::whole()};
  }
  switch (options.row_at) {
    case Resample::RowAt::start:
      return {{}, bucket};
    case Resample::RowAt::end:
      return {bucket, {}};
    case Resample::RowAt::middle:
      break;
  }
  return {bucket, bucket};
}

}  // namespace zerobeat
