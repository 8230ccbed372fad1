#include <algorithm>
#include <random>
#include <zerobeat/plan/step.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

/// A step in one of the ways that its reach depends on.
struct Case {
  const char* step;
  std::vector<std::pair<const char*, const char*>> options;
};

Step step_of(const Case& own) {
  Step step = make_step(own.step);
  auto options = step.options();
  for (const auto& [name, value] : own.options) {
    const auto option = std::ranges::find(options, name, &BoundOption::name);
    REQUIRE(option != options.end());
    option->set(value);
  }
  return step;
}

const std::vector<Case>& cases() {
  static const std::vector<Case> all{
      {"settle", {}},
      {"settle", {{"duplicates", "mean"}}},
      {"select", {{"where", "level > 1 or kg = 7"}}},
      {"select", {{"where", "level > level@first"}}},
      {"select", {{"hours", "00:00-06:00"}, {"columns", "kg"}}},
      {"select", {{"first", "3h"}}},
      {"select", {{"last", "3h"}}},
      {"compute", {{"set", "a=level*2+kg,b=coalesce(a,row())"}}},
      {"compute", {{"set", "a=kg/level@last"}, {"only", "true"}}},
      {"resample", {{"every", "7min"}}},
      {"resample", {{"every", "7min"}, {"empty", "skip"}}},
      {"resample", {{"every", "7min"}, {"empty", "skip"}, {"row-at", "end"}}},
      {"resample", {{"every", "7min"}, {"empty", "skip"}, {"row-at", "end"}, {"edge", "end"}}},
      {"resample", {{"every", "7min"}, {"empty", "skip"}, {"row-at", "middle"}}},
      {"resample", {{"every", "7min"}, {"row-at", "end"}}},
      {"resample", {{"every", "7min,1h"}, {"empty", "skip"}, {"row-at", "end"}}},
      {"resample", {{"every", "1h"}, {"take", "twmean(level),up(level)"}}},
      {"resample", {{"by-count", "5"}}},
      {"thin", {{"points", "9"}}},
      {"reshape", {{"into", "long"}}},
      {"join", {{"tolerance", "3min"}}},
      {"join", {{"tolerance", "3min"}, {"keep", "all"}}},
      {"join", {{"match", "next"}, {"tolerance", "3min"}, {"keep", "all"}}},
      {"join", {{"match", "earlier"}, {"tolerance", "3min"}, {"age", "true"}}},
      {"join", {{"match", "nearest"}, {"tolerance", "3min"}}},
      {"join", {{"match", "exact"}, {"keep", "all"}}},
      {"join", {{"match", "linear"}, {"tolerance", "3min"}}},
      {"align", {{"onto", "union"}, {"how", "previous"}}},
      {"align", {{"onto", "union"}, {"how", "next"}, {"tolerance", "3min"}}},
      {"align", {{"onto", "common"}, {"tolerance", "3min"}}},
      {"align", {{"onto", "7min"}}},
      {"shift", {{"by", "7min"}}},
      {"shift", {{"by", "-7min"}}},
      {"shift", {{"drift", "40"}, {"at", "2025-10-20T06:00:00Z"}}},
      {"shift", {{"to-event", "level > 1"}}},
      {"tune", {{"on", "level"}}},
      {"fill", {}},
      {"fill", {{"how", "previous"}}},
      {"fill", {{"how", "previous"}, {"max-gap", "5min"}}},
      {"fill", {{"how", "next"}, {"max-gap", "2"}}},
      {"fill", {{"how", "constant:4"}}},
      {"fill", {{"how", "linear"}, {"max-gap", "5min"}, {"ends", "hold"}}},
      {"fill", {{"how", "spline"}}},
      {"fill", {{"how", "mean"}, {"window", "5"}}},
      {"clip", {{"bounds", "0,4"}}},
      {"clip", {{"quantiles", "0.2,0.8"}}},
      {"clip", {{"quantiles", "0.2,0.8"}, {"window", "9"}}},
      {"clip", {{"quantiles", "0.2,0.8"}, {"window", "11min"}}},
      {"clip", {{"spread", "1"}, {"window", "9"}, {"put", "level"}, {"band", "true"}}},
      {"clip", {{"deviations", "1"}, {"window", "11min"}}},
      {"clip", {{"fences", "1"}, {"window", "8"}, {"put", "missing"}}},
      {"clip", {{"stuck", "2"}}},
      {"roll", {{"window", "5"}}},
      {"roll", {{"window", "5"}, {"place", "leading"}}},
      {"roll", {{"window", "6"}, {"place", "centred"}}},
      {"roll", {{"window", "9min"}, {"take", "median(level),last(kg)"}}},
      {"roll", {{"window", "9min"}, {"place", "centred"}}},
      {"roll", {{"window", "9min"}, {"place", "leading"}}},
      {"roll", {{"take", "cumsum(level)"}}},
      {"roll", {{"window", "7"}, {"take", "std(level),zscore(kg),skewness(level),mode(kg)"}}},
      {"roll", {{"window", "3,8"}, {"place", "centred"}, {"take", "corr(level,kg),max(kg)"}}},
      {"roll", {{"window", "9min"}, {"take", "twmean(level),up(level)"}}},
      {"roll", {{"window", "4"}, {"weights", "split"}}},
      {"roll", {{"window", "3"}, {"weights", "1,2,3"}, {"min-count", "1"}}},
      {"roll", {{"take", "ewma(level,0.9)"}, {"restart", "1h"}}},
      {"lag", {{"by", "3"}}},
      {"lag", {{"by", "1,3"}, {"take", "diff(level)"}, {"order", "2"}}},
      {"lag", {{"by", "3"}, {"take", "lead(level),diff(kg)"}}},
      {"lag", {{"by", "5min"}, {"take", "lead(level)"}}},
  };
  return all;
}

/// The rows of a timeline as text, but for their names: time, key and readings.
std::vector<std::pair<Instant, std::string>> rows_of(const Timeline& timeline) {
  std::vector<std::pair<Instant, std::string>> rows;
  for (const Strand& strand : timeline.strands()) {
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      std::string text = strand.key.value_or("") + "|" + to_text(timeline.times()[i], 9);
      for (const Column& column : timeline.values().columns()) {
        text += "|";
        if (!column.valid(i)) continue;
        if (column.is_numeric()) text += fmt::format("{}", column.as_numbers().numbers()[i]);
        if (column.type() == Column::Type::text) text += column.text(i);
        if (column.type() == Column::Type::boolean) text += column.boolean(i) ? "true" : "false";
      }
      rows.emplace_back(timeline.times()[i], text);
    }
  }
  return rows;
}

/// The timeline with the readings of some rows others.
Timeline changed(const Timeline& timeline, const std::vector<bool>& rows, unsigned seed) {
  std::mt19937 random(seed);
  Timeline::Parts parts = timeline.parts();
  Table values(timeline.rows());
  for (std::size_t c = 0; c < timeline.values().columns().size(); ++c) {
    const Column& column = timeline.values().columns()[c];
    const Column numbers = column.as_numbers();
    Readings readings;
    for (std::size_t i = 0; i < rows.size(); ++i) {
      auto own = numbers.valid(i) ? std::optional(numbers.numbers()[i]) : std::nullopt;
      if (rows[i]) own = random() % 4 == 0 ? std::nullopt : std::optional(random() % 40 / 4.0 - 4);
      readings.push_back(own);
    }
    values.add(timeline.values().names()[c], column_of(readings));
  }
  parts.values = std::move(values);
  return Timeline(std::move(parts));
}

Timeline numbers_only(const Timeline& timeline) {
  return changed(timeline, std::vector<bool>(timeline.rows(), false), 0);
}

/// Which input rows a row at `t` may look at, by its reach.
std::vector<bool> outside(const Timeline& in, Instant t, const Reach& reach) {
  std::vector<bool> out(in.rows());
  for (const Strand& strand : in.strands()) {
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      const auto within = [&](const ReachSide& side, bool back) {
        const Instant own = in.times()[i];
        if (own == t) return true;
        if ((own < t) != back) return false;
        if (side.kind == ReachSide::Kind::whole) return true;
        if (side.kind == ReachSide::Kind::none) return false;
        if (!side.extent.in_rows()) {
          const Instant edge = shift(t, side.extent.period, back ? -1 : 1, in.zone());
          return back ? own >= edge : own <= edge;
        }
        // Of several rows of the instant, from the first back and from the last ahead.
        const auto times = in.times().subspan(strand.begin, strand.size());
        const auto first = std::ranges::lower_bound(times, t) - times.begin();
        const auto last = std::ranges::upper_bound(times, t) - times.begin() - 1;
        const auto place = static_cast<std::ptrdiff_t>(i - strand.begin);
        return back ? place >= first - side.extent.rows : place <= last + side.extent.rows;
      };
      out[i] = !within(reach.back, true) && !within(reach.ahead, false);
    }
  }
  return out;
}

std::vector<std::string> rows_at(const Timeline& timeline, Instant t) {
  std::vector<std::string> rows;
  for (const auto& [time, text] : rows_of(timeline)) {
    if (time == t) rows.push_back(text);
  }
  return rows;
}

}  // namespace

TEST_CASE("the reach test looks at every step there is", "[reach]") {
  for (const StepKind& kind : standard_steps()) {
    if (kind.make().makes_table() || kind.name == std::string_view("profile")) continue;
    INFO(kind.name);
    CHECK(std::ranges::any_of(cases(), [&](const Case& own) { return own.step == kind.name; }));
  }
}

TEST_CASE("a row stays when readings outside the step's reach are changed", "[reach]") {
  for (const Case& own : cases()) {
    const Step step = step_of(own);
    const Reach reach = step.reach();
    // Of one that looks at all there is nothing outside.
    if (reach.back == ReachSide::whole() && reach.ahead == ReachSide::whole()) continue;
    std::vector<Timeline> in{numbers_only(random_timeline(120, 5, 2))};
    if (step.inputs().least > 1)
      in.push_back(numbers_only(random_timeline(90, 6, 2)).named("other"));
    const Timeline before = *step.apply(in).timeline;
    std::mt19937 random(9);
    for (int attempt = 0; attempt < 12 && before.rows() > 0; ++attempt) {
      const Instant t = before.times()[random() % before.rows()];
      std::vector<Timeline> other;
      for (const Timeline& one : in) {
        other.push_back(changed(one, outside(one, t, reach), random()).named(one.name()));
      }
      const Timeline after = *step.apply(other).timeline;
      INFO(to_text(step) << ", reach " << to_text(reach.back) << " and " << to_text(reach.ahead)
                         << " at " << to_text(t));
      CHECK(rows_at(before, t) == rows_at(after, t));
    }
  }
}

TEST_CASE("what a causal step says up to a time does not depend on what comes after", "[reach]") {
  for (const Case& own : cases()) {
    const Step step = step_of(own);
    if (!step.reach().causal()) continue;
    std::vector<Timeline> in{numbers_only(random_timeline(120, 15, 1))};
    if (step.inputs().least > 1)
      in.push_back(numbers_only(random_timeline(90, 16, 1)).named("other"));
    const auto all = rows_of(*step.apply(in).timeline);
    for (const std::size_t row : {10u, 40u, 77u}) {
      const Instant t = in[0].times()[row];
      std::vector<Timeline> until;
      for (const Timeline& one : in) {
        const auto end = static_cast<std::size_t>(std::ranges::upper_bound(one.times(), t) -
                                                  one.times().begin());
        std::vector<std::int64_t> kept;
        for (std::size_t i = 0; i < end; ++i) kept.push_back(static_cast<std::int64_t>(i));
        Timeline::Parts parts = one.parts();
        parts.times = one.time_column().gather(kept);
        parts.values = one.values().gather(kept);
        parts.strands[0].end = end;
        until.push_back(Timeline(std::move(parts)));
      }
      std::vector<std::string> expected, got;
      for (const auto& [time, text] : all) {
        if (time <= t) expected.push_back(text);
      }
      for (const auto& [time, text] : rows_of(*step.apply(until).timeline)) {
        if (time <= t) got.push_back(text);
      }
      INFO(to_text(step) << " until " << to_text(t));
      CHECK(expected == got);
    }
  }
}

}  // namespace zerobeat::testing
