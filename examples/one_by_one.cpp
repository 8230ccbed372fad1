// Records that arrive one by one: a builder keeps places and faults, and each batch goes on at the
// end of the timeline that there is.
// usage: one_by_one level.csv

#include <zerobeat/zerobeat.hpp>

using namespace zerobeat;

int main(int argc, char** argv) {
  if (argc != 2) return 2;
  RecordsBuilder feed("feed", {"level_m", "open"}, "", "Europe/Dublin");
  const Instant start = read_instant("2025-10-26T00:00:00Z", Zone());

  std::optional<Timeline> level;
  for (int minute = 0; minute < 240; ++minute) {
    const double height = 2.5 + 0.01 * (minute % 60);
    if (minute % 77 == 76) {
      feed.reject(Reason::broken_record, "{\"level\": ");
    } else {
      feed.add(start + std::chrono::minutes(minute), {height, minute % 2 == 0});
    }
    if (minute % 30 != 29) continue;
    const Timeline batch = settle(std::move(feed).take());
    level = level ? append(*level, batch) : batch;
  }
  write(*level, argv[1], {.local = true});
  fmt::print("{} of {} records kept, {} rows\n", level->account().kept(),
             level->account().records(), level->rows());
}
