// Is there a trend, and may its errors be believed? A line fitted on time, its residuals tested,
// and the errors that hold when residuals follow each other. usage: lines_and_tests tide_gauge.csv
// residuals.csv

#include <zerobeat/zerobeat.hpp>

using namespace zerobeat;

int main(int argc, char** argv) {
  if (argc != 3) return 2;
  const Timeline volts = read_csv(argv[1], {.time = "observed_at"}) |
                         Resample{.every = "1h", .take = {take::mean("battery_v").as("volts")}};

  const Regress line{.y = "volts", .x = {"days=elapsed()/86400"}};
  const Made plain = regress(volts, line);
  fmt::print("{}\n", plain.did.notes.back());
  Regress honest = line;
  honest.errors = Regress::Errors::autocorrelated;
  const Table &a = *plain.table, b = *regress(volts, honest).table;
  fmt::print("slope {:.5f} V a day; its error {:.1e}, or {:.1e} when residuals follow each other\n",
             a.column("coefficient").numbers()[1], a.column("se").numbers()[1],
             b.column("se").numbers()[1]);

  Regress with_residuals = line;
  with_residuals.add = {"residual"};
  const Timeline rest = *regress(volts, with_residuals).timeline;
  const Table tests = test(rest, {.of = {"noise", "normal"}, .on = {"volts_residual"}}).table;
  for (std::size_t row = 0; row < tests.rows(); ++row) {
    fmt::print("{}: {}\n", tests.column("null").text(row), tests.column("verdict").text(row));
  }
  const Table lags = correlate(rest, {.lags = 3, .on = {"volts_residual"}}).table;
  fmt::print("an hour apart residuals correlate by {:.2f}\n",
             lags.column("correlation").numbers()[0]);
  write(rest, argv[2]);
}
