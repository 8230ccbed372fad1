#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>
#include <zerobeat/base/text.hpp>
#include <zerobeat/model/test.hpp>
#include <zerobeat/table/step_timer.hpp>

#include "base/parallel.hpp"
#include "model/beat.hpp"
#include "model/cells.hpp"
#include "model/tests/kinds.hpp"
#include "table/key_column.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1 {

namespace detail {

std::span<const TestKind> test_kinds() {
  static constexpr TestKind kinds[] = {
      {"unit-root", "has a unit root", "", true, unit_root_test},
      {"level", "keeps its level", "keeps its trend", true, level_test},
      {"noise", "no autocorrelation", "", true, noise_test},
      {"normal", "normal", "", false, normal_test},
      {"uniform", "uniform there", "", false, uniform_test},
      {"trend", "no trend", "", false, trend_test},
      {"runs", "random order", "", false, runs_test},
  };
  return kinds;
}

}  // namespace detail

namespace {

using detail::TestKind;

constexpr std::array<std::string_view, 9> test_columns{
    "column", "test", "null", "statistic", "p", "lags", "readings", "verdict", "slope"};

std::vector<const TestKind*> kinds_of(const Test& options) {
  std::vector<const TestKind*> kinds;
  for (const auto& word : options.of) {
    const auto kind = std::ranges::find(detail::test_kinds(), word, &TestKind::word);
    if (kind == detail::test_kinds().end()) {
      fail_usage("‹of› {}: there is no such test{}", shown(word), did_you_mean(word, test_words()));
    }
    if (std::ranges::find(kinds, &*kind) != kinds.end()) {
      fail_usage("‹of›: {} is there twice", word);
    }
    kinds.push_back(&*kind);
  }
  if (kinds.empty()) fail_usage("‹of›: name a test, such as normal");
  return kinds;
}

bool asks_for(const Test& options, const char* word) {
  return std::ranges::find(options.of, word) != options.of.end();
}

void check(const Test& options) {
  const double at = options.at.value_or(0.05);
  if (!(at > 0 && at < 1)) fail_usage("‹at› {}: it is a share between 0 and 1, like 0.05", at);
  if (asks_for(options, "level") && (at < 0.01 || at > 0.1)) {
    fail_usage("‹at› {}: the table of level goes from 0.01 to 0.1; leave level out of ‹of›", at);
  }
  const bool is_open = std::isinf(options.range.low) || std::isinf(options.range.high);
  if (asks_for(options, "uniform") && (is_open || !(options.range.low < options.range.high))) {
    fail_usage("‹of› uniform takes ‹range› LO,HI, like 0,1");
  }
  if (options.lags && (*options.lags < 0 || *options.lags > 1'000'000)) {
    fail_usage("‹lags› {}: it is a number of rows, from 0 to 1,000,000", *options.lags);
  }
}

/// Readings of a strand, and when they are: all that are there, or the longest run of them.
struct Sequence {
  std::vector<double> readings{}, seconds{};

  void add(double reading, double second) {
    readings.push_back(reading);
    seconds.push_back(second);
  }
};

struct Sequences {
  Sequence all{}, run{};
  bool is_whole = true;  ///< nothing is missing
};

Sequences sequences_of(const Timeline& timeline, const Strand& strand, const Column& numbers) {
  Sequences out;
  Sequence run;
  for (std::size_t row = strand.begin; row < strand.end; ++row) {
    const double value = numbers.numbers()[row];
    if (!numbers.valid(row) || !std::isfinite(value)) {
      out.is_whole = false;
      if (run.readings.size() > out.run.readings.size()) out.run = std::move(run);
      run = {};
      continue;
    }
    const double second =
        detail::seconds_between(timeline.times()[strand.begin], timeline.times()[row]);
    out.all.add(value, second);
    run.add(value, second);
  }
  if (run.readings.size() > out.run.readings.size()) out.run = std::move(run);
  return out;
}

/// A row of the table.
struct TestedRow {
  std::optional<detail::Outcome> outcome{};
  std::int64_t readings = 0;
};

}  // namespace

std::vector<std::string> test_words() {
  std::vector<std::string> words;
  for (const TestKind& kind : detail::test_kinds()) words.emplace_back(kind.word);
  return words;
}

TableResult test(const Timeline& timeline, const Test& options) {
  StepTimer timer(options, timeline);
  const auto kinds = kinds_of(options);
  check(options);
  const auto names = timeline.values().chosen(options.on);
  const bool with_slope = asks_for(options, "trend");
  const std::span<const std::string_view> own(test_columns);
  detail::check_free(own.first(own.size() - (with_slope ? 0 : 1)), timeline.key_names());
  const bool in_order = std::ranges::any_of(kinds, &TestKind::in_order);
  if (in_order) {
    const detail::BeatOptions beats{options.by_rows, options.days.read()};
    for (const Strand& strand : timeline.strands()) {
      static_cast<void>(detail::beat_of(timeline, strand, beats));
    }
  }
  std::vector<Column> columns;
  for (const auto& name : names) columns.push_back(timeline.values().column(name).as_numbers());
  const std::size_t each = columns.size(), pairs = timeline.strands().size() * each;
  std::vector<TestedRow> rows(pairs * kinds.size());
  std::vector<std::string> notes(pairs);
  detail::parallel_for(std::size_t{0}, pairs, [&](std::size_t i) {
    const Strand& strand = timeline.strands()[i / each];
    const Sequences sequences = sequences_of(timeline, strand, columns[i % each]);
    if (in_order && !sequences.is_whole) {
      notes[i] = fmt::format(
          "{}: the longest run without a missing reading has {} rows; tests of order took that",
          detail::strand_title(strand, names[i % each]),
          grouped(static_cast<std::int64_t>(sequences.run.readings.size())));
    }
    for (std::size_t k = 0; k < kinds.size(); ++k) {
      detail::check_stopped();
      const Sequence& sequence = kinds[k]->in_order ? sequences.run : sequences.all;
      TestedRow& row = rows[i * kinds.size() + k];
      row.readings = static_cast<std::int64_t>(sequence.readings.size());
      row.outcome =
          kinds[k]->run({sequence.readings, sequence.seconds, timeline.axis().is_count()}, options);
    }
  });

  std::vector<std::uint32_t> strands;
  std::vector<std::optional<std::string>> column, word, null, verdict;
  std::vector<std::optional<std::int64_t>> lags, readings;
  std::vector<double> statistic, p, slope;
  constexpr double none = std::numeric_limits<double>::quiet_NaN();
  for (std::size_t i = 0; i < rows.size(); ++i) {
    const std::size_t pair = i / kinds.size();
    const TestKind& kind = *kinds[i % kinds.size()];
    const TestedRow& row = rows[i];
    if (i % kinds.size() == 0 && !notes[pair].empty()) timer.note(notes[pair]);
    strands.push_back(static_cast<std::uint32_t>(pair / each));
    column.emplace_back(names[pair % each]);
    word.emplace_back(kind.word);
    null.emplace_back(options.trend && !kind.null_of_trend.empty() ? kind.null_of_trend
                                                                   : kind.null);
    const auto& outcome = row.outcome;
    statistic.push_back(outcome ? outcome->statistic : none);
    p.push_back(outcome ? outcome->p : none);
    slope.push_back(outcome ? outcome->slope.value_or(none) : none);
    lags.push_back(outcome ? outcome->lags : std::nullopt);
    readings.push_back(outcome ? std::optional(row.readings) : std::nullopt);
    verdict.push_back(
        outcome ? std::optional<std::string>(outcome->rejected ? "rejected" : "not rejected")
                : std::nullopt);
    if (!outcome) {
      timer.note(
          fmt::format("{}: {} can't be made of {} readings",
                      detail::strand_title(timeline.strands()[pair / each], names[pair % each]),
                      kind.word, grouped(row.readings)));
    }
  }
  Table table(rows.size());
  detail::add_key(table, timeline, strands);
  table.add("column", detail::column_of_texts(column));
  table.add("test", detail::column_of_texts(word));
  table.add("null", detail::column_of_texts(null));
  table.add("statistic", detail::column_of_numbers(statistic));
  table.add("p", detail::column_of_numbers(p));
  table.add("lags", detail::column_of_counts(lags));
  table.add("readings", detail::column_of_counts(readings));
  table.add("verdict", detail::column_of_texts(verdict));
  if (with_slope) table.add("slope", detail::column_of_numbers(slope));
  const auto count = static_cast<std::int64_t>(table.rows());
  return {std::move(table), timer.finish(timeline, count)};
}

std::optional<std::vector<std::string>> columns_needed(const Test& options, std::string_view) {
  if (options.on.empty()) return std::nullopt;
  return options.on;
}

Reach reach(const Test&) { return {ReachSide::whole(), ReachSide::whole()}; }

}  // namespace zerobeat
