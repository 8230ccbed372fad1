// Joining two sources: for each trade the water level at the time, from whichever tide gauge
// record came last before it, if that is no more than a quarter of an hour old.
// usage: joining_two_sources fish_auction.csv tide_gauge.csv board.csv

#include <zerobeat/zerobeat.hpp>

using namespace zerobeat;
using namespace std::chrono_literals;

int main(int argc, char** argv) {
  if (argc != 4) return 2;
  // The auction writes down the clock on the wall. In the night that the clocks go back, the
  // order of each species' records tells which hour they are of.
  const Timeline trades = settle(read_csv(argv[1], {.time = "day+clock",
                                                    .date_order = DateOrder::dmy,
                                                    .zone = Zone::find("Europe/Dublin"),
                                                    .repeated = Repeated::order,
                                                    .key = "species"}));
  const Timeline tide = settle(read_csv(argv[2], {.time = "observed_at", .columns = {"level_m"}}));

  const Timeline board = join(trades, tide, {.match = Join::Match::previous, .tolerance = 15min});
  write_csv(board, argv[3], {.local = true});
  fmt::print("{}\n", board.account());
}
