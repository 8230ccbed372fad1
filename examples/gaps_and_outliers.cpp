// Gaps and outliers: spikes and a stuck sensor found by their neighbourhood, the best way of
// filling tried on hidden readings, and what stays open told.
// usage: gaps_and_outliers tide_gauge.csv mended.csv

#include <zerobeat/zerobeat.hpp>

using namespace zerobeat;
using namespace std::chrono_literals;

int main(int argc, char** argv) {
  if (argc != 3) return 2;
  const Timeline level = settle(read_csv(argv[1], {.time = "observed_at", .columns = {"level_m"}}));

  std::vector<ClipChange> changes;
  const Timeline clean =
      clip(level, {.by = Fences{3}, .stuck = Extent(30min), .window = 9, .put = Clip::Put::missing},
           &changes);
  fmt::print("{} readings taken out\n", changes.size());

  const Timeline quarters =
      clean | Resample{.every = 15min, .take = {take::mean("level_m").as("level")}};
  const FillTrial trial =
      try_fill(quarters, {.trial = {Fill::How::linear, Fill::How::monotone, Fill::How::spline}});
  for (const auto& note : trial.did.notes) fmt::print("{}\n", note);

  const Timeline mended = quarters | Fill{.how = Fill::How::spline, .max_gap = 90min, .flag = true};
  for (const GapFound& gap : find_gaps(mended)) {
    fmt::print("still missing from {} to {}\n", to_text(gap.from, 0), to_text(gap.to, 0));
  }
  write_csv(mended, argv[2]);
}
