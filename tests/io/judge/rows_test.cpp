// TypedRows with types, judged in whole columns, against a loop that judges one row after the
// other.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <random>

#include "io/judge/cells.hpp"
#include "io/judge/row_source.hpp"
#include "io/source/loaded_library.hpp"
#include "io/text/chunk.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace detail;

constexpr std::int64_t giga = 1'000'000'000;

/// Some rows: a time, a key, a number, an integer and a column of mixed cells.
struct TypedRows {
  RowSource source;
  RowBatch batch;

  TypedRows(std::size_t count, RowType time, unsigned odd, std::mt19937& random) {
    source.columns = {{"t", time},
                      {"k", RowType::text},
                      {"x", RowType::number},
                      {"n", RowType::integer},
                      {"m", RowType::mixed}};
    batch.clear(5);
    batch.rows = count;
    for (RowBatch::Cells& cells : batch.columns) cells.bits.resize(count);
    batch.columns[1].texts.resize(count);
    batch.columns[4].texts.resize(count);
    batch.columns[4].types.resize(count);
    const auto is_odd = [&] { return odd > 0 && random() % odd == 0; };
    for (std::size_t row = 0; row < count; ++row) {
      const auto own = static_cast<std::uint32_t>(row);
      for (const std::size_t c : {0U, 2U, 3U, 4U}) {
        if (is_odd()) batch.columns[c].missing.push_back(own);
      }
      const bool no_time =
          !batch.columns[0].missing.empty() && batch.columns[0].missing.back() == own;
      if (is_odd() && !no_time) batch.columns[0].out_of_range.push_back(own);
      if (is_odd()) batch.note_bad_encoding(row);
      batch.columns[0].bits[row] = static_cast<std::uint64_t>(
          (1'761'350'400 + static_cast<std::int64_t>(random() % 90'000)) * giga);
      batch.columns[1].texts[row] = is_odd() ? "" : random() % 2 == 0 ? "p1" : "p2";
      batch.columns[2].bits[row] = std::bit_cast<std::uint64_t>(
          is_odd() ? std::nan("") : static_cast<double>(random() % 100) / 8);
      batch.columns[3].bits[row] = random() % 1000;
      const auto kind = random() % 4;
      batch.columns[4].types[row] = kind == 0   ? RowType::text
                                    : kind == 1 ? RowType::number
                                                : RowType::integer;
      if (kind == 0) batch.columns[4].texts[row] = is_odd() ? "bad" : "12.5";
      if (kind == 1) batch.columns[4].bits[row] = std::bit_cast<std::uint64_t>(0.25);
      if (kind > 1) batch.columns[4].bits[row] = random() % 50;
    }
  }

  static bool lists(const std::vector<std::uint32_t>& listed, std::size_t row) {
    return std::ranges::binary_search(listed, static_cast<std::uint32_t>(row));
  }
  bool is_missing(std::size_t column, std::size_t row) const {
    return lists(batch.columns[column].missing, row);
  }
};

Layout layout_of(const TimestampOptions& times) {
  Layout layout;
  layout.cells = 5;
  layout.cell_names = {"t", "k", "x", "n", "m"};
  layout.time_cells = {0};
  layout.key_cells = {1};
  layout.times = times;
  for (const std::size_t cell : {2U, 3U, 4U}) {
    ValueColumn value;
    value.cell = cell;
    value.known = cell == 4 ? ValueColumn::Known::nothing : ValueColumn::Known::type;
    layout.values.push_back(value);
  }
  return layout;
}

}  // namespace

TEST_CASE("rows taken in whole columns are judged as one after the other", "[rows]") {
  std::mt19937 random(21);
  const MissingWords words({});
  const Zone dublin = Zone::find("Europe/Dublin");
  for (int round = 0; round < 300; ++round) {
    const bool local = round % 2 == 1;
    const unsigned odd = std::array{0U, 60U, 6U}[static_cast<std::size_t>(round % 3)];
    const TypedRows rows(1 + random() % 300, local ? RowType::local : RowType::instant, odd,
                         random);
    TimestampOptions times{.zone = local ? dublin : Zone(), .repeated = Repeated::reject};
    if (round % 5 == 0) times.not_before = instant_of(1'761'360'000 * giga);
    if (round % 7 == 0) times.not_after = instant_of(1'761'420'000 * giga);
    Chunk chunk;
    judge_rows(rows.source, rows.batch, 100, layout_of(times), words, chunk);

    std::vector<std::int64_t> kept;
    std::vector<std::pair<std::size_t, Reason>> rejected;
    std::vector<std::size_t> kept_rows;
    for (std::size_t row = 0; row < rows.batch.rows; ++row) {
      auto t = static_cast<std::int64_t>(rows.batch.columns[0].bits[row]);
      const auto seconds = std::chrono::local_seconds(std::chrono::seconds(t / giga));
      const auto stretch = times.zone.stretch(seconds);
      std::optional<Reason> reason;
      if (rows.is_missing(0, row)) reason = Reason::missing_time;
      if (TypedRows::lists(rows.batch.columns[0].out_of_range, row))
        reason = Reason::out_of_range_time;
      if (local && !reason && stretch.kind == Zone::LocalStretch::Kind::repeated) {
        reason = Reason::repeated_time;
      }
      if (local) t -= stretch.offset.count() * giga;
      const Instant instant = instant_of(t);
      if (!reason && ((times.not_before && instant < *times.not_before) ||
                      (times.not_after && instant > *times.not_after))) {
        reason = Reason::out_of_range_time;
      }
      if (!reason && rows.batch.columns[1].texts[row].empty()) reason = Reason::missing_key;
      if (TypedRows::lists(rows.batch.badly_encoded, row)) reason = Reason::bad_encoding;
      if (reason) {
        rejected.emplace_back(row, *reason);
      } else {
        kept.push_back(t);
        kept_rows.push_back(row);
      }
    }
    REQUIRE(std::vector<std::int64_t>(chunk.times.begin(), chunk.times.end()) == kept);
    std::vector<std::pair<std::size_t, Reason>> own;
    std::size_t unreadable = 0;
    for (const Fault& fault : chunk.faults) {
      if (fault.reason == Reason::unreadable_reading) {
        ++unreadable;
      } else {
        own.emplace_back(fault.line, fault.reason);
        CHECK(fault.byte == 100 + fault.line);
      }
    }
    REQUIRE(own == rejected);

    // Lines of kept rows, from the runs.
    std::vector<std::size_t> lines;
    for (std::size_t r = 0; r < chunk.runs.size(); ++r) {
      const std::size_t end = r + 1 < chunk.runs.size() ? chunk.runs[r + 1].record : kept.size();
      for (std::size_t i = chunk.runs[r].record; i < end; ++i) {
        lines.push_back(chunk.runs[r].line + (i - chunk.runs[r].record));
      }
    }
    REQUIRE(lines == kept_rows);

    std::size_t bad = 0;
    for (std::size_t i = 0; i < kept_rows.size(); ++i) {
      const std::size_t row = kept_rows[i];
      const auto lacks = [&](std::size_t c) {
        return TypedRows::lists(chunk.columns[c].missing, i);
      };
      const double x = std::bit_cast<double>(rows.batch.columns[2].bits[row]);
      REQUIRE(lacks(0) == (rows.is_missing(2, row) || std::isnan(x)));
      if (!lacks(0)) REQUIRE(std::bit_cast<double>(chunk.columns[0].numbers[i]) == x);
      REQUIRE(lacks(1) == rows.is_missing(3, row));
      if (!lacks(1)) REQUIRE(chunk.columns[1].numbers[i] == rows.batch.columns[3].bits[row]);
      const RowBatch::Cells& mixed = rows.batch.columns[4];
      const bool is_bad = mixed.types[row] == RowType::text && mixed.texts[row] == "bad" &&
                          !rows.is_missing(4, row);
      bad += is_bad;
      REQUIRE(lacks(2) == (rows.is_missing(4, row) || is_bad));
      if (lacks(2)) continue;
      const double number = mixed.types[row] == RowType::text ? 12.5
                            : mixed.types[row] == RowType::number
                                ? 0.25
                                : static_cast<double>(mixed.bits[row]);
      const std::uint64_t bits = chunk.columns[2].numbers[i];
      REQUIRE((chunk.columns[2].whole ? static_cast<double>(bits) : std::bit_cast<double>(bits)) ==
              number);
    }
    REQUIRE(unreadable == bad);
    CHECK(chunk.columns[1].whole);
    CHECK(!chunk.columns[0].whole);
  }
}

TEST_CASE("a library that is not there is told with the package that has it", "[rows]") {
  try {
    const LoadedLibrary library("libnothing.so.9", "libnothing9");
    FAIL("it is there");
  } catch (const Error& error) {
    CHECK(error.kind() == Error::Kind::input);
    CHECK_THAT(error.what(), Catch::Contains("libnothing.so.9") && Catch::Contains("libnothing9"));
  }
}

}  // namespace zerobeat::testing
