// What holds for every step of the table, whatever its options: nothing of what memory held is
// handed on, its input stays, its own account adds up, and it gives the same twice.

#include <algorithm>
#include <random>
#include <zerobeat/plan/step.hpp>

#include "plan/step_cases.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

/// The bits behind a reading.
std::uint64_t bits_behind(const Column& column, std::size_t i) {
  switch (column.type()) {
    case Column::Type::number:
      return std::bit_cast<std::uint64_t>(column.numbers()[i]);
    case Column::Type::integer:
      return static_cast<std::uint64_t>(column.integers()[i]);
    case Column::Type::time:
      return static_cast<std::uint64_t>(nanoseconds_of(column.times()[i]));
    case Column::Type::text:
      return static_cast<std::uint64_t>(column.codes()[i]);
    case Column::Type::boolean:
      break;
  }
  return column.boolean(i) ? 1 : 0;
}

void check_clean(const Column& column) {
  for (std::size_t i = 0; i < column.size(); ++i) {
    if (!column.valid(i)) REQUIRE(bits_behind(column, i) == 0);
  }
  // Nor past the end, within the last word.
  const std::size_t past = column.size() % 64;
  if (past != 0 && column.validity().bits() != nullptr) {
    CHECK(column.validity().bits()[column.size() / 64] >> past == 0);
  }
  if (past != 0 && column.type() == Column::Type::boolean) {
    CHECK(column.boolean_bits()[column.size() / 64] >> past == 0);
  }
}

void check_clean(const Table& table) {
  for (const Column& column : table.columns()) check_clean(column);
}

/// Blocks of memory full of what is no reading of anyone's, given back for the next to take.
void leave_scraps() {
  std::vector<Buffer<double>> scraps;
  for (const std::size_t size : {150'000, 160'000, 200'000, 131'072}) {
    scraps.emplace_back(size, -123.25);
  }
  std::vector<std::string> small;
  for (int i = 0; i < 200; ++i) small.emplace_back(static_cast<std::size_t>(8 + i * 16), '\xa5');
}

std::vector<Timeline> inputs_of(const Step& step, std::size_t rows, unsigned seed) {
  std::vector<Timeline> in{random_timeline(rows, seed, 2, 0.4)};
  if (step.inputs().least > 1) in.push_back(random_timeline(rows, seed + 1, 2, 0.4).named("other"));
  return in;
}

bool same(const Table& a, const Table& b) {
  if (a.names() != b.names() || a.rows() != b.rows()) return false;
  for (std::size_t c = 0; c < a.columns().size(); ++c) {
    if (!(a.columns()[c] == b.columns()[c])) return false;
  }
  return true;
}

/// A step of the cases; none where these inputs are not for it.
template <typename Check>
void for_each_case(std::size_t rows, Check&& check) {
  for (const auto* all : {&cases(), &table_cases()}) {
    for (const Case& step_case : *all) {
      if (step_case.step == std::string_view("tune")) continue;  // unlike readings are refused
      const Step step = step_of(step_case);
      INFO(to_text(step));
      check(step, inputs_of(step, rows, 21));
    }
  }
}

}  // namespace

TEST_CASE("behind a missing reading is nothing, whatever step made the column", "[steps]") {
  for_each_case(300, [](const Step& step, const std::vector<Timeline>& in) {
    leave_scraps();
    const Made made = step.apply(in);
    if (made.timeline) check_clean(made.timeline->values());
    if (made.table) check_clean(*made.table);
    for (const SideTable& side : made.beside) check_clean(side.table);
  });
}

TEST_CASE("behind a missing reading is nothing in large columns, too", "[steps]") {
  // Where memory is mapped, and spare blocks are handed on.
  const std::vector<Timeline> in{random_timeline(140'000, 3, 2, 0.4)};
  for (const char* name : {"fill", "lag", "roll", "clip", "compute", "resample"}) {
    INFO(name);
    leave_scraps();
    Step step = make_step(name);
    const auto set = [&](const char* option, const char* value) {
      for (const auto& own : step.options()) {
        if (own.name == option) own.set(value);
      }
    };
    set("by", "3");
    if (name != std::string_view("fill")) set("window", "5");
    set("spread", "3");
    set("set", "a=level/kg");
    set("every", "1min");
    set("max-gap", "1");
    check_clean(step.apply(in).timeline->values());
  }
}

TEST_CASE("a step leaves its input as it was", "[steps]") {
  for_each_case(150, [](const Step& step, const std::vector<Timeline>& in) {
    std::vector<Table> before;
    std::vector<Column> times;
    for (const Timeline& one : in) {
      // Copies of the readings, not of the columns that share them.
      std::vector<std::int64_t> rows(one.rows());
      for (std::size_t i = 0; i < rows.size(); ++i) rows[i] = static_cast<std::int64_t>(i);
      before.push_back(one.values().gather(rows));
      times.push_back(one.time_column().gather(rows));
    }
    [[maybe_unused]] const Made made = step.apply(in);
    for (std::size_t i = 0; i < in.size(); ++i) {
      CHECK(same(in[i].values(), before[i]));
      CHECK(in[i].time_column() == times[i]);
    }
  });
}

TEST_CASE("a step gives the same twice", "[steps]") {
  for_each_case(200, [](const Step& step, const std::vector<Timeline>& in) {
    const Made one = step.apply(in), two = step.apply(in);
    REQUIRE(one.timeline.has_value() == two.timeline.has_value());
    if (one.timeline) {
      CHECK(same(one.timeline->values(), two.timeline->values()));
      CHECK(one.timeline->time_column() == two.timeline->time_column());
    }
    if (one.table) CHECK(same(*one.table, *two.table));
  });
}

TEST_CASE("each strand that a step makes is in order, and the account has its rows", "[steps]") {
  for_each_case(200, [](const Step& step, const std::vector<Timeline>& in) {
    std::int64_t rows_in = 0;
    for (const Timeline& one : in) rows_in += static_cast<std::int64_t>(one.rows());
    const Made made = step.apply(in);
    if (!made.timeline) return;
    const Timeline& out = *made.timeline;
    std::size_t covered = 0;
    for (const Strand& strand : out.strands()) {
      CHECK(std::ranges::is_sorted(out.times().subspan(strand.begin, strand.size())));
      CHECK(strand.begin == covered);
      covered = strand.end;
    }
    CHECK(covered == out.rows());
    const StepAccount& account = out.account().last();
    CHECK(account.rows_in == rows_in);
    CHECK(account.rows_out == static_cast<std::int64_t>(out.rows()));
  });
}

TEST_CASE("a timeline without a row goes through every step", "[steps]") {
  for (const Case& step_case : cases()) {
    const Step step = step_of(step_case);
    INFO(to_text(step));
    const Timeline full = random_timeline(10, 1, 2);
    Timeline::Parts parts = full.parts();
    parts.times = full.time_column().gather(std::span<const std::int64_t>());
    parts.values = full.values().gather(std::span<const std::int64_t>());
    parts.strands.clear();
    const Timeline none(std::move(parts));
    const std::vector<Timeline> in(std::max<std::size_t>(1, step.inputs().least), none);
    std::vector<Timeline> named;
    for (std::size_t i = 0; i < in.size(); ++i) named.push_back(in[i].named(fmt::format("s{}", i)));
    try {
      const Made made = step.apply(named);
      if (made.timeline) CHECK(made.timeline->rows() == 0);
    } catch (const Error& error) {
      // Whoever can't do with none says so.
      CHECK(std::string(error.what()).size() > 10);
    }
  }
}

}  // namespace zerobeat::testing
