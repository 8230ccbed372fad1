#include <algorithm>
#include <random>
#include <set>
#include <zerobeat/plan/step.hpp>

#include "plan/step_cases.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

/// The rows of a timeline as text, but for their names: time, key and readings.
std::vector<std::pair<Instant, std::string>> rows_of(const Timeline& timeline) {
  std::vector<std::pair<Instant, std::string>> rows;
  for (const Strand& strand : timeline.strands()) {
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      std::string text = strand.key.value_or("") + "|" + to_text(timeline.times()[i], 9);
      for (const Column& column : timeline.values().columns()) {
        text += "|";
        if (!column.valid(i)) continue;
        if (column.is_numeric()) text += fmt::format("{}", column.numbers_or(0)[i]);
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
        const Instant instant = in.times()[i];
        if (instant == t) return true;
        if ((instant < t) != back) return false;
        if (side.kind == ReachSide::Kind::whole) return true;
        if (side.kind == ReachSide::Kind::none) return false;
        if (!side.extent.in_rows()) {
          const Instant edge = shift(t, side.extent.period, back ? -1 : 1, in.zone());
          return back ? instant >= edge : instant <= edge;
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
  // Strands stand in the order in which they first appear, which is no row's own.
  std::ranges::sort(rows);
  return rows;
}

}  // namespace

TEST_CASE("the reach test looks at every step there is", "[reach]") {
  for (const StepKind& kind : standard_steps()) {
    if (kind.make().makes_table() || kind.name == std::string_view("profile")) continue;
    INFO(kind.name);
    CHECK(std::ranges::any_of(cases(),
                              [&](const Case& step_case) { return step_case.step == kind.name; }));
  }
}

TEST_CASE("a row stays when readings outside the step's reach are changed", "[reach]") {
  for (const Case& step_case : cases()) {
    const Step step = step_of(step_case);
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

namespace {

/// The timeline without some of its rows.
Timeline without(const Timeline& timeline, const std::vector<bool>& dropped) {
  Timeline::Parts parts = timeline.parts();
  std::vector<std::int64_t> kept;
  for (Strand& strand : parts.strands) {
    const std::size_t begin = kept.size();
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      if (!dropped[i]) kept.push_back(static_cast<std::int64_t>(i));
    }
    strand.begin = begin;
    strand.end = kept.size();
  }
  parts.times = timeline.time_column().gather(kept);
  parts.values = timeline.values().gather(kept);
  return Timeline(std::move(parts));
}

/// Whether other readings, or fewer rows, on one side of a time ever move the row there.
bool looks_at(const Step& step, const std::vector<Timeline>& in, bool back) {
  const Timeline before = *step.apply(in).timeline;
  std::mt19937 random(back ? 31 : 32);
  for (int attempt = 0; attempt < 120 && before.rows() > 0; ++attempt) {
    // Where a row is, or could be.
    const Timeline& from = attempt % 3 == 0 ? before : in[random() % in.size()];
    const Instant t = from.times()[random() % from.rows()];
    const bool drop = attempt % 2 == 0;
    const unsigned share = 1 + attempt % 4 / 2;  // all of them, or half
    std::vector<Timeline> other;
    for (const Timeline& one : in) {
      std::vector<bool> rows(one.rows());
      for (std::size_t i = 0; i < rows.size(); ++i) {
        const bool on_side = back ? one.times()[i] < t : one.times()[i] > t;
        rows[i] = on_side && (!drop || random() % share == 0);
      }
      other.push_back((drop ? without(one, rows) : changed(one, rows, random())).named(one.name()));
    }
    try {
      if (rows_at(*step.apply(other).timeline, t) != rows_at(before, t)) return true;
    } catch (const Error&) {
      return true;
    }
  }
  return false;
}

}  // namespace

TEST_CASE("a side that a step claims to look at is one that it looks at", "[reach]") {
  for (const Case& step_case : cases()) {
    const Step step = step_of(step_case);
    // Which strands a clock is compared by, and what lies beside what, needs more rows than these.
    if (step_case.step == std::string_view("tune")) continue;
    // What these look at moves a row in few places: where a strand has no first reading yet, or no
    // last one any more; where sources share an instant and lack a reading; where times are moved,
    // rows are not compared.
    static const std::set<std::string> seldom{
        "select where=level > level@first", "compute set=a=kg/level@last only=true",
        "align onto=common tolerance=3min", "shift drift=40 at=2025-10-20T06:00:00Z",
        "shift to-event=level > 1",         "clip stuck=2"};
    if (seldom.contains(to_text(step))) continue;
    std::vector<Timeline> in{numbers_only(random_timeline(120, 5, 2))};
    if (step.inputs().least > 1) {
      in.push_back(numbers_only(random_timeline(90, 6, 2)).named("other"));
    }
    const Reach reach = step.reach();
    INFO(to_text(step) << ", reach " << to_text(reach.back) << " and " << to_text(reach.ahead));
    if (reach.back != ReachSide::none()) CHECK(looks_at(step, in, true));
    if (reach.ahead != ReachSide::none()) CHECK(looks_at(step, in, false));
  }
}

TEST_CASE("what a causal step says up to a time does not depend on what comes after", "[reach]") {
  for (const Case& step_case : cases()) {
    const Step step = step_of(step_case);
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
