// Expressions: the text is one, parsed, bound to a small timeline and evaluated.

#include <vector>
#include <zerobeat/base/error.hpp>
#include <zerobeat/expression/expression.hpp>

#include "invariants.hpp"

namespace {

using namespace zerobeat;

/// 130 rows of two strands, with readings of every type, some missing.
Timeline small_timeline() {
  constexpr std::size_t rows = 130, of_first = 70;
  Buffer<Instant> times(rows);
  Buffer<double> level(rows);
  Buffer<std::int64_t> kg(rows);
  Buffer<std::int32_t> gear(rows);
  Buffer<std::uint64_t> open(3, 0x5a5a'1234'00ff'8001);
  ValidityBuilder some(rows);
  for (std::size_t i = 0; i < rows; ++i) {
    times[i] = Instant(std::chrono::minutes(29'348'000 + 37 * (i < of_first ? i : i - of_first)));
    level[i] = static_cast<double>(i % 9) - 4;
    kg[i] = static_cast<std::int64_t>(i * i % 17) - 8;
    gear[i] = static_cast<std::int32_t>(i % 3);
    if (i % 5 == 0) some.set_missing(i);
  }
  const Validity validity = some.take();
  Timeline::Parts parts;
  parts.name = "fuzz";
  parts.time_name = "time";
  parts.key_name = "probe";
  parts.zone = Zone::find("Europe/Dublin");
  parts.times = Column::times(std::move(times));
  parts.strands = {{"a", 0, of_first}, {"b", of_first, rows}};
  parts.values = Table(rows);
  parts.values.add("x", Column::numbers(std::move(level), validity));
  parts.values.add("kg", Column::integers(std::move(kg)));
  parts.values.add("gear", Column::text(std::move(gear),
                                        std::make_shared<const Column::Dictionary>(
                                            Column::Dictionary{"pot", "line", "trawl"}),
                                        validity));
  parts.values.add("open", Column::booleans(std::move(open), rows, validity));
  return Timeline(std::move(parts));
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* data, std::size_t size) {
  static const Timeline timeline = small_timeline();
  const std::string text(reinterpret_cast<const char*>(data), size);
  try {
    std::vector<Assignment> all;
    from_text(text, all);
    std::vector<Assignment> again;
    from_text(to_text(all), again);
    HOLDS(again == all);
  } catch (const Error&) {
    // No assignments.
  }
  try {
    const Expression expression(text);
    const Evaluated made = evaluate(expression, timeline);
    HOLDS(made.column.size() == timeline.rows());
    HOLDS(made.not_finite >= 0 &&
          made.not_finite <= static_cast<std::int64_t>(made.column.validity().missing()));
    if (made.column.type() == Column::Type::number) {
      for (std::size_t i = 0; i < timeline.rows(); ++i) {
        HOLDS(!made.column.valid(i) || made.column.numbers()[i] - made.column.numbers()[i] == 0);
      }
    } else {
      const auto where = rows_where(expression, timeline);
      for (std::size_t i = 0; i < timeline.rows(); ++i) {
        const bool holds = (where[i / 64] >> (i % 64) & 1) != 0;
        HOLDS(holds == (made.column.valid(i) && made.column.boolean(i)));
      }
    }
  } catch (const Error& error) {
    HOLDS(error.kind() == Error::Kind::usage);
  }
  return 0;
}
