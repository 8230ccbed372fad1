// A step of your own: in a chain with the built-in steps, and in a plan beside them.
// usage: own_step tide_gauge.csv feet.csv [PLAN.toml]

#include <zerobeat/zerobeat.hpp>

using namespace zerobeat;
using namespace std::chrono_literals;

/// Adds a column with the readings of `from` times `factor`. What is missing stays missing.
struct Scale {
  static constexpr std::string_view name = "scale";
  static constexpr std::string_view help = "a column times a factor";

  std::string from{};
  std::string to{};
  double factor = 1;

  friend bool operator==(const Scale&, const Scale&) = default;
};

/// Its options: as keys in a plan.
template <typename Visitor, OptionsOf<Scale> O>
void fields(Visitor&& visit, O& o) {
  visit("from", o.from, "COLUMN", "which column");
  visit("to", o.to, "NAME", "what the new one is called");
  visit("factor", o.factor, "X", "times what");
}

Timeline operator|(const Timeline& timeline, const Scale& step) {
  StepTimer timer("scale", describe_options(step), timeline);  // the account knows of it, too
  const Column column = timeline.values().column(step.from).as_numbers();

  Buffer<double> scaled(column.size());
  for (std::size_t i = 0; i < scaled.size(); ++i) scaled[i] = column.numbers()[i] * step.factor;

  Timeline::Parts parts = timeline.parts();  // shares every column that is not touched
  parts.values.add(step.to, Column::numbers(std::move(scaled), column.validity()));
  return timer.finish(std::move(parts));
}

/// A row depends on nothing but itself.
Reach reach(const Scale&) { return {}; }

int main(int argc, char** argv) {
  if (argc == 4) {
    // The standard steps and this one.
    const Plan plan = load_plan(argv[3], {.steps = {step_kind<Scale>}});
    fmt::print("{}\n", ledger_text(run_plan(plan).account));
    return 0;
  }
  if (argc != 3) return 2;
  const Timeline feet = settle(read_csv(argv[1], {.time = "observed_at"})) |
                        Scale{.from = "level_m", .to = "level_ft", .factor = 1 / 0.3048} |
                        Lag{.by = 1h, .take = {take::diff("level_ft").as("rise_ft")}};
  write_csv(feet, argv[2]);
  fmt::print("{}\n", feet.account());
}
