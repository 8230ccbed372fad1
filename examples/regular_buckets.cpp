// Regular buckets: levels, a statistic of one's own, grids as values, a profile, and thinning.
// usage: regular_buckets tide_gauge.csv levels.csv thin.csv

#include <zerobeat/zerobeat.hpp>

using namespace zerobeat;
using namespace std::chrono_literals;

int main(int argc, char** argv) {
  if (argc != 4) return 2;
  const Zone dublin = Zone::find("Europe/Dublin");
  const Timeline tide = settle(read_csv(argv[1], {.time = "observed_at", .zone = dublin}));

  // Months and days at once; the third take is a function of this program's.
  const Timeline levels =
      tide | Resample{.every = Every{Period::of_months(1), Period::of_days(1)},
                      .take = {take::twmean("level_m"),
                               take::duration("level_m", Condition::Sign::more, "4").as("high_s"),
                               take::of("level_m",
                                        [](std::span<const double> x) {
                                          return x.empty() ? 0 : x.back() - x.front();
                                        })
                                   .as("rise_m")},
                      .partial = Resample::Partial::mark};
  write_csv(levels, argv[2], {.local = true});

  // Grids are values: the harbour office's hours, and where the bells of the hour fall in them.
  Hours office;
  from_text("08:30-16:00", office);
  const Grid sessions(Period::of_days(1), {.zone = dublin, .hours = office});
  const TimeSpan two_days{tide.times().front(), tide.times().front() + 48h};
  for (const TimeSpan session : sessions.buckets(two_days)) {
    fmt::print("the office is open from {} to {}\n", to_text(session.start, 0),
               to_text(session.stop, 0));
  }
  fmt::print("hours that overlap them: {}\n", overlaps(sessions, Grid(1h), two_days).size());

  // By the hour of the day, on the wall's clocks.
  const ProfileTable day =
      profile(tide, {.by = {{Part::Kind::hour}}, .take = {take::mean("level_m")}});
  fmt::print("mean level at noon: {:.2f} m\n", day.table.column("level_m_mean").numbers()[12]);

  const Timeline thinned = tide | Thin{.points = 200, .on = {"level_m"}};
  write_csv(thinned, argv[3]);
  fmt::print("{}\n", thinned.account());
}
