// The landings of the next four weeks, and how each model would have done before.
// usage: what_comes_next landings.csv holidays.ics ahead.csv

#include <zerobeat/zerobeat.hpp>

using namespace zerobeat;

int main(int argc, char** argv) {
  if (argc != 4) return 2;
  const Timeline landings = settle(read_csv(argv[1]));
  const Forecast weeks{.ahead = "4wk",
                       .on = {"landed_kg"},
                       .season = 5,
                       .days = working_days({.holidays = {argv[2]}})};

  // From five ends that are hidden, each model on the same.
  Forecast tried = weeks;
  tried.attempts = {"naive", "seasonal", "smoothing", "arima"};
  const Table scores = *forecast(landings, tried).table;
  for (std::size_t row = 0; row < scores.rows(); ++row) {
    fmt::print("{}: off by {:.0f} kg, {:.0f}% within the 80% band\n",
               scores.column("model").text(row), scores.column("mae").numbers()[row],
               100 * scores.column("within80").numbers()[row]);
  }

  const Made made = forecast(landings, weeks);
  fmt::print("{}\n", made.did.notes[0]);
  write(*made.timeline, argv[3]);
}
