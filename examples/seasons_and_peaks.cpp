// The landings taken apart, high and low waters, and when one cold room grows damper than another.
// usage: seasons_and_peaks landings.csv tide_gauge.csv ice_store.csv parts.csv

#include <zerobeat/zerobeat.hpp>

using namespace zerobeat;

int main(int argc, char** argv) {
  if (argc != 5) return 2;
  // The fish are landed on working days: five rows are a week.
  const Timeline parts =
      read_csv(argv[1]) |
      Decompose{.season = 5, .on = {"landed_kg"}, .robust = true, .by_rows = true};
  fmt::print("{}\n", parts.account().last().notes[0]);
  write(parts, argv[4]);

  const Timeline tide = read_csv(argv[2], {.time = "observed_at"}) |
                        Clip{.on = {"level_m"}, .by = Fences{3}, .window = 9};
  const Table waters =
      peaks(tide, {.on = {"level_m"}, .kind = Peaks::Kind::both, .prominence = 1, .apart = "3h"})
          .table;
  fmt::print("{} high and low waters, the first a {} at {}\n", waters.rows(),
             waters.column("kind").text(0), to_text(waters.column("at").times()[0]));

  const Timeline store = read_csv(argv[3], {.key = "probe"}) |
                         Resample{.every = "15min", .take = {take::mean("humidity_pct").as("h")}} |
                         Reshape{.into = Reshape::Into::wide};
  const Table turns = crossings(store, {.of = "cold_1", .with = "cold_2", .stay = "1h"}).table;
  fmt::print("cold_1 grows damper or drier than cold_2 {} times for an hour or more\n",
             turns.rows());
}
