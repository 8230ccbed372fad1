// Two clocks: how far one probe's clock is off another's, found from the air that both feel, and
// set right; then both on one axis.
// usage: two_clocks ice_store.csv right.csv

#include <zerobeat/zerobeat.hpp>

using namespace zerobeat;
using namespace std::chrono_literals;

int main(int argc, char** argv) {
  if (argc != 3) return 2;
  const Timeline probes = settle(read_csv(argv[1], {.key = "probe"}));
  const auto probe = [&](const std::string& key) {
    const Timeline timeline = probes | Select{.keys = {key}, .columns = {"temperature_c"}};
    return reshape(timeline, {.into = Reshape::Into::wide}).named(key);
  };
  const Timeline reference = probe("cold_1"), fast = probe("cold_3");

  const Tuned tuned =
      tune(reference, fast, {.on = "cold_1", .with = "cold_3", .drift = true, .least = 0.9});
  const Tuning& found = tuned.found[0];
  fmt::print("cold_3 is {:.0f} s ahead (± {:.1f}) and gains {:.0f} ppm (± {:.0f})\n",
             found.offset_s, found.offset_se_s, found.drift_ppm, found.drift_se_ppm);
  fmt::print("match {:.3f} before, {:.3f} after\n", *found.match_before, *found.match_after);

  const Timeline together =
      align(std::vector{reference, tuned.timeline}, {.onto = Period(10min), .tolerance = 15min});
  write_csv(together, argv[2]);
  fmt::print("{}\n", together.account());
}
