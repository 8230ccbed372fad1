// Rolls a statistic of its own along the tide, beside means of two windows and a mean that fades,
// and tells when the water rose most within an hour.
// usage: own_window tide_gauge.csv rolled.csv

#include <algorithm>
#include <zerobeat/zerobeat.hpp>

using namespace zerobeat;
using namespace std::chrono_literals;

int main(int argc, char** argv) {
  if (argc != 3) return 2;
  const Timeline tide = settle(read_csv(argv[1], {.columns = {"level_m"}}));
  const Timeline clean =
      tide | Clip{.on = {"level_m"}, .by = Fences{3}, .window = 9, .put = Clip::Put::missing};

  // How far the level rose above where the window began.
  const auto surge = [](std::span<const double> level) {
    return *std::ranges::max_element(level) - level.front();
  };
  const Timeline rolled = clean | Roll{.window = {1h, 12h}, .take = {take::mean("level_m")}} |
                          Roll{.window = 1h, .take = {take::of("level_m", surge).as("surge")}} |
                          Roll{.take = {take::ewma("level_m", {.half_life = 30min}).as("fading")}};

  const Column& rise = rolled.values().column("surge");
  std::size_t most = 0;
  for (std::size_t row = 0; row < rolled.rows(); ++row) {
    if (rise.valid(row) && rise.numbers()[row] > rise.numbers()[most]) most = row;
  }
  fmt::print("{:.2f} m within an hour, up to {}\n", rise.numbers()[most],
             to_text(rolled.times()[most], 0));
  write_csv(rolled, argv[2]);
}
