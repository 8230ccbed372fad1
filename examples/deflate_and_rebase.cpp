// Choosing and computing: prices over an index, rebased to a day, the spells in which they were
// high, and what they are like.
// usage: deflate_and_rebase fish_auction.csv real.csv spells.csv

#include <zerobeat/zerobeat.hpp>

using namespace zerobeat;

int main(int argc, char** argv) {
  if (argc != 4) return 2;
  const Zone dublin = Zone::find("Europe/Dublin");
  ReadOptions reading{
      .time = "day+clock", .zone = dublin, .repeated = Repeated::order, .key = "species"};
  const Timeline trades = settle(read_csv(argv[1], reading));

  // What all fish cost on each day, species left aside.
  reading.key = {};
  const Timeline index =
      settle(read_csv(argv[1], reading)) |
      Resample{.every = Period::of_days(1), .take = {take::wmean("price_eur", "kg").as("index")}};

  Compute prices;
  from_text("real=100*price_eur/index,rebased=100*real/real@first,dear=rebased>110", prices.set);
  const Timeline real = join(trades, index, {}) | prices;
  write_csv(real, argv[2], {.local = true});

  // When a species was dear for an hour or more; interruptions of a quarter are passed over.
  Spells dear{.where = "dear", .take = {take::max("rebased"), take::sum("kg")}};
  dear.at_least = std::chrono::hours(1);
  dear.bridge = std::chrono::minutes(15);
  const TableResult found = spells(real, dear);
  write(found.table, argv[3], {.local = true}, dublin);
  fmt::print("{} spells\n", found.table.rows());

  // By the working day's end alone.
  Select evening{.keys = {"hake"}, .where = "hour() >= 16"};
  from_text("mon-fri", evening.weekdays);
  const TableResult like = describe(real | evening, {.on = {"real"}});
  fmt::print("hake after four: {} trades, median {:.1f}\n",
             like.table.column("count").integers()[0], like.table.column("median").numbers()[0]);
  fmt::print("{}\n", real.account());
}
