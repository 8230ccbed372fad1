/// The demo: a made-up working harbour, Brannoc Quay, over the night that the
/// clocks go back. All records come from a fixed seed, and have every fault
/// that real records have.

#include "harbour.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <map>
#include <numbers>
#include <set>
#include <sstream>
#include <zerobeat/zerobeat.hpp>

#include "harbour_texts.hpp"

namespace zerobeat::tool {

namespace {

using namespace std::chrono_literals;
using std::chrono::sys_days;
using namespace std::chrono;

/// A small generator whose numbers are the same everywhere (splitmix64, Steele, Lea, Flood 2014).
class Random {
 public:
  explicit Random(std::uint64_t seed) : state_(seed) {}

  std::uint64_t bits() {
    std::uint64_t z = state_ += 0x9e3779b97f4a7c15ULL;
    z = (z ^ (z >> 30)) * 0xbf58476d1ce4e5b9ULL;
    z = (z ^ (z >> 27)) * 0x94d049bb133111ebULL;
    return z ^ (z >> 31);
  }
  /// From 0 up to 1.
  double share() { return static_cast<double>(bits() >> 11) / 9007199254740992.0; }
  std::int64_t whole(std::int64_t low, std::int64_t high) {
    return low + static_cast<std::int64_t>(share() * static_cast<double>(high - low + 1));
  }
  bool chance(double p) { return share() < p; }
  /// Mean 0, deviation 1 (the sum of twelve).
  double normal() {
    double sum = -6;
    for (int i = 0; i < 12; ++i) sum += share();
    return sum;
  }

 private:
  std::uint64_t state_;
};

const sys_days first_day = 2025y / October / 20;
const sys_days last_day = 2025y / November / 1;

double hours_since_start(Instant t) {
  return static_cast<double>((t - Instant(first_day)).count()) / 3.6e12;
}

/// Water level in metres: the main tides of the moon and the sun, and the weather.
double tide(Instant t) {
  const double h = hours_since_start(t);
  const auto wave = [&](double amplitude, double period, double phase) {
    return amplitude * std::cos(2 * std::numbers::pi * (h / period) - phase);
  };
  return 2.60 + wave(1.38, 12.4206, 0.7) + wave(0.47, 12.0, 1.9) + wave(0.11, 25.8193, 0.4) +
         wave(0.09, 23.9345, 2.2) + wave(0.18, 190.0, 1.1);
}

std::string tide_gauge() {
  Random random(20251026);
  std::string out = "observed_at,level_m,battery_v\n";
  struct Line {
    Instant arrives;
    std::string text;
  };
  std::vector<Line> lines;
  const Instant stuck_from = Instant(sys_days(2025y / October / 23)) + 14h;
  const Instant gap_from = Instant(sys_days(2025y / October / 28)) + 2h + 10min;
  const Instant short_gap_from = Instant(sys_days(2025y / October / 26)) + 9h + 20min;
  double stuck_level = 0;
  double battery = 12.9;
  for (Instant beat = Instant(first_day); beat < Instant(last_day); beat += 6min) {
    const Instant t = beat + milliseconds(random.whole(-9'000, 9'000));
    battery -= 0.00035;
    if (t >= gap_from && t < gap_from + 6h) continue;
    if (t >= short_gap_from && t < short_gap_from + 40min) continue;
    if (random.chance(0.012)) continue;
    double level = tide(t) + 0.012 * random.normal();
    if (t >= stuck_from && t < stuck_from + 1h) {
      if (stuck_level == 0) stuck_level = level;
      level = stuck_level;
    }
    if (random.chance(0.006)) level += (random.chance(0.5) ? 1 : -1) * (1.5 + 2 * random.share());
    std::string cell = fmt::format("{:.3f}", level);
    if (random.chance(0.004)) cell = "NA";
    if (random.chance(0.0015)) cell = "ERR";
    const std::string time = to_text(t, 3);
    std::string text = fmt::format("{},{},{:.2f}", time, cell, battery);
    if (random.chance(0.0012)) text = text.substr(0, static_cast<std::size_t>(random.whole(3, 16)));
    if (random.chance(0.0008)) text = "#~" + text.substr(4);
    const Instant arrives = random.chance(0.004) ? t + 15min : t;
    lines.push_back({arrives, text});
  }
  std::ranges::stable_sort(lines, {}, &Line::arrives);
  for (const auto& line : lines) out += line.text + "\n";
  return out;
}

/// The air of the ice store, minute by minute: its compressor's cycles, and the door, which stands
/// open while boats are served. All four probes feel it.
std::vector<double> air_of_store() {
  Random random(78);
  std::vector<double> air;
  double open = 0, warm = 0, phase = 0;
  const auto minutes_in_all = (Instant(last_day) - Instant(first_day) + 12h) / 1min;
  for (std::int64_t minute = 0; minute < minutes_in_all; ++minute) {
    const double hour = std::fmod(static_cast<double>(minute) / 60, 24);
    const bool served = hour > 4 && hour < 15;
    if (served && random.chance(0.012)) open = 4 + 12 * random.share();
    open = std::max(0.0, open - 1);
    warm += (open > 0 ? 0.24 : 0) - 0.035 * warm;
    phase += 2 * std::numbers::pi / (47 + 6 * random.normal());
    air.push_back(warm + 0.45 * std::sin(phase));
  }
  return air;
}

std::string ice_store() {
  Random random(77);
  const auto air = air_of_store();
  const auto air_at = [&](Instant t) {
    const double minute = hours_since_start(t) * 60;
    const auto before = static_cast<std::size_t>(minute);
    const double share = minute - std::floor(minute);
    return air[before] * (1 - share) + air[before + 1] * share;
  };
  struct Line {
    Instant arrives;
    std::string text;
  };
  std::vector<Line> lines;
  const char* probes[] = {"cold_1", "cold_2", "cold_3", "cold_4"};
  for (int p = 0; p < 4; ++p) {
    double value = 0;
    for (Instant beat = Instant(first_day); beat < Instant(last_day); beat += 5min) {
      const Instant t = beat + milliseconds(random.whole(0, 4'000) + 700 * p);
      value += -0.08 * value + 0.02 * random.normal();
      const double temperature = -18 - p * 0.7 + value + (1 - 0.1 * p) * air_at(t);
      if (random.chance(0.008)) continue;
      // The clock of cold_3 is 90 s fast at first, and gains 4 s a day.
      Nanoseconds fast{0};
      if (p == 2) fast = 90s + milliseconds(static_cast<int>(hours_since_start(t) / 24 * 4'000));
      const double humidity = 88 + 4 * random.normal();
      const std::string text =
          fmt::format("{},{},{:.2f},{:.0f}", nanoseconds_of(t + fast) / 1'000'000, probes[p],
                      temperature, std::min(100.0, humidity));
      // Some batches come late, all at once.
      const auto hour = static_cast<int>(hours_since_start(t));
      const bool late = p == 1 && hour % 53 == 7;
      lines.push_back({late ? t + 50min : t, text});
      if (random.chance(0.004)) lines.push_back({late ? t + 50min : t + 1s, text});
    }
  }
  std::ranges::stable_sort(lines, {}, &Line::arrives);
  std::string out = "epoch_ms,probe,temperature_c,humidity_pct\n";
  for (const auto& line : lines) out += line.text + "\n";
  return out;
}

/// Trades through the nights of the auction, from ten in the evening until six, on the clock on
/// the wall.
std::string fish_auction() {
  Random random(4242);
  const Zone zone = Zone::find("Europe/Dublin");
  const char* species[] = {"hake", "monkfish", "megrim"};
  double price[] = {4.10, 6.30, 3.20};
  std::string out = "day,clock,species,price_eur,kg\n";
  std::int64_t trade = 0;
  for (sys_days day = first_day; day < last_day; day += days(1)) {
    const auto evening = local_time<Nanoseconds>(local_days(day.time_since_epoch())) + 22h;
    Instant t = zone.first_instant(evening);
    const Instant close = zone.first_instant(evening + 8h);
    while (t < close) {
      // Bursts as each boat lands, then quiet.
      const bool burst = random.chance(0.9);
      t += seconds(burst ? random.whole(4, 40) : random.whole(120, 700));
      if (t >= close) break;
      const int ties = random.chance(0.06) ? 2 : 1;
      for (int i = 0; i < ties; ++i) {
        const auto s = static_cast<std::size_t>(random.whole(0, 2));
        price[s] *= std::exp(0.004 * random.normal());
        price[s] += 0.02 * ((s == 0 ? 4.1 : s == 1 ? 6.3 : 3.2) - price[s]);
        double asked = price[s] * (1 + 0.012 * random.normal());
        if (++trade == 2600) asked *= 10;  // a slip of the finger: the point one place too far
        const auto local = zone.local_of(t);
        const year_month_day date(floor<days>(local));
        const auto clock = hh_mm_ss(floor<seconds>(local - floor<days>(local)));
        out += fmt::format("{:02}/{:02}/{},{:02}:{:02}:{:02},{},{:.2f},{}\n",
                           static_cast<unsigned>(date.day()), static_cast<unsigned>(date.month()),
                           static_cast<int>(date.year()), clock.hours().count(),
                           clock.minutes().count(), clock.seconds().count(), species[s], asked,
                           20 * random.whole(1, 24));
      }
    }
  }
  return out;
}

/// The same fish at another market, an hour ahead, which writes the month first and names the
/// buyer.
std::string skerry_auction() {
  Random random(77);
  const Zone zone = Zone::find("Europe/Oslo");
  const char* species[] = {"hake", "monkfish", "megrim"};
  const double price[] = {4.35, 6.05, 3.30};
  const char* buyers[] = {"Eidsund", "Holme", "Straum", ""};
  std::string out = "sold_at,species,price_eur,kg,buyer\n";
  for (sys_days day = first_day; day < last_day; day += days(1)) {
    const auto evening = local_time<Nanoseconds>(local_days(day.time_since_epoch())) + 23h;
    Instant t = zone.first_instant(evening);
    const Instant close = zone.first_instant(evening + 5h);
    while ((t += seconds(random.whole(20, 400))) < close) {
      const auto s = static_cast<std::size_t>(random.whole(0, 2));
      const auto local = zone.local_of(t);
      const year_month_day date(floor<days>(local));
      const auto clock = hh_mm_ss(floor<seconds>(local - floor<days>(local)));
      out +=
          fmt::format("{}/{}/{} {:02}:{:02}:{:02},{},{:.2f},{},{}\n",
                      static_cast<unsigned>(date.month()), static_cast<unsigned>(date.day()),
                      static_cast<int>(date.year()), clock.hours().count(), clock.minutes().count(),
                      clock.seconds().count(), species[s], price[s] * (1 + 0.03 * random.normal()),
                      10 * random.whole(1, 30), buyers[random.whole(0, 3)]);
    }
  }
  return out;
}

/// Weight landed on working days, more in summer: no weekends, no holidays (see holidays_text).
std::string landings() {
  Random random(9);
  std::string out = "date,landed_kg\n";
  for (sys_days day = 2024y / October / 14; day < last_day; day += days(1)) {
    const weekday of_week(day);
    const year_month_day date(day);
    const bool holiday = date.month() / date.day() == October / 27 ||
                         date.month() / date.day() == December / 25 ||
                         date.month() / date.day() == December / 26;
    if (of_week == Saturday || of_week == Sunday || holiday) continue;
    const double season =
        std::cos(2 * std::numbers::pi * (day - sys_days(2025y / July / 1)).count() / 365.0);
    out +=
        fmt::format("{}-{:02}-{:02},{}\n", static_cast<int>(date.year()),
                    static_cast<unsigned>(date.month()), static_cast<unsigned>(date.day()),
                    random.whole(180, 460) * 50 + static_cast<int>(std::lround(season * 90)) * 50);
  }
  return out;
}

/// A capture of two channels: its rate and start stand in the preamble, and no record has a time.
std::string winch_vibration() {
  Random random(51);
  std::string out =
      "unit: winch 2\nstarted: 2025-10-25T22:14:03.250Z\nsample rate: 512 Hz\n"
      "channels: drum, motor\ndrum_g,motor_g\n";
  for (int i = 0; i < 2048; ++i) {
    const double t = i / 512.0;
    const double drum = 0.4 * std::sin(2 * std::numbers::pi * 7.5 * t) + 0.05 * random.normal();
    const double motor = 0.9 * std::sin(2 * std::numbers::pi * 48.7 * t) + 0.1 * random.normal();
    out += fmt::format("{:.4f},{:.4f}\n", drum, motor);
  }
  return out;
}

/// The harbour's holidays: its own day each October, and midwinter.
/// One file as an archive: a header of POSIX ustar, the file, and two empty blocks.
std::string archive_of(const std::string& name, const std::string& text) {
  constexpr std::size_t block = 512;
  std::string header(block, '\0');
  const auto put = [&](std::size_t at, const std::string& field) {
    header.replace(at, field.size(), field);
  };
  put(0, name);
  put(100, "0000644");
  put(108, "0000000");
  put(116, "0000000");
  put(124, fmt::format("{:011o}", text.size()));
  put(136, fmt::format("{:011o}", 1'762'300'800));  // 5 November 2025
  put(148, "        ");
  put(156, "0");
  put(257, std::string("ustar\00000", 8));
  unsigned sum = 0;
  for (const char c : header) sum += static_cast<unsigned char>(c);
  put(148, fmt::format("{:06o}", sum) + std::string("\0 ", 2));
  std::string archive = header + text;
  archive.resize((archive.size() + block - 1) / block * block + 2 * block);
  return archive;
}

}  // namespace

namespace {

/// In the demo's folder: what it made of each output, so that one that was changed is known.
constexpr const char* outputs_list = ".outputs";

/// A file's length and a checksum of its bytes (FNV-1a).
std::string mark_of(const std::filesystem::path& path) {
  std::ifstream file(path, std::ios::binary);
  std::uint64_t sum = 14695981039346656037U, length = 0;
  for (std::istreambuf_iterator<char> at(file), end; at != end; ++at, ++length) {
    sum = (sum ^ static_cast<unsigned char>(*at)) * 1099511628211U;
  }
  return fmt::format("{} {:016x}", length, sum);
}

/// The mark of each output of an earlier demo, by name.
std::map<std::string, std::string> made_before(const std::string& folder) {
  std::map<std::string, std::string> made;
  std::ifstream file(std::filesystem::path(folder) / outputs_list);
  for (std::string name, length, sum; file >> name >> length >> sum;)
    made[name] = length + " " + sum;
  return made;
}

}  // namespace

void note_outputs(const std::string& folder, const std::vector<std::string>& written) {
  auto made = made_before(folder);
  for (const auto& path : written) {
    made[std::filesystem::path(path).filename().string()] = mark_of(path);
  }
  Output output((std::filesystem::path(folder) / outputs_list).string());
  for (const auto& [name, mark] : made) output.write(name + " " + mark + "\n");
  output.commit();
}

void write_harbour(const std::string& folder) {
  namespace fs = std::filesystem;
  std::error_code error;
  fs::create_directories(folder, error);
  if (error) fail_output("{}: the folder can't be made: {}", folder, error.message());
  const std::pair<std::string, std::string> files[] = {
      {"tide_gauge.csv", tide_gauge()},
      {"ice_store.csv", ice_store()},
      {"fish_auction.csv", fish_auction()},
      {"skerry_auction.csv", skerry_auction()},
      {"landings.csv", landings()},
      {"winch_vibration.csv", winch_vibration()},
      {"records.tar.gz", packed(archive_of("landings.csv", landings()), Compression::gzip)},
      {"holidays.ics", holidays_text},
      {"plan.toml", plan_text},
  };
  // Whatever is there and is not the demo's stays as it is, and so does all else.
  std::set<std::string> set{"out", outputs_list};
  for (const auto& [name, text] : files) set.insert(name);
  for (const auto& entry : fs::directory_iterator(folder, error)) {
    const std::string name = entry.path().filename().string();
    if (!set.contains(name)) {
      fail_usage("demo: {}: holds {}, which is not the demo's; name a folder of its own", folder,
                 name);
    }
  }
  // Whatever the plan names in its folder of outputs.
  std::set<std::string> outputs;
  constexpr std::string_view plan = plan_text, place = "\"out/";
  for (auto at = plan.find(place); at != plan.npos; at = plan.find(place, at + 1)) {
    const auto name = plan.substr(at + place.size());
    outputs.emplace(name.substr(0, name.find('"')));
  }
  const auto made = made_before(folder);
  for (const auto& entry : fs::directory_iterator(fs::path(folder) / "out", error)) {
    const std::string name = entry.path().filename().string();
    if (!outputs.contains(name)) {
      fail_usage("demo: {}: holds out/{}, which is not the demo's; name a folder of its own",
                 folder, name);
    }
    const auto at = made.find(name);
    if (at == made.end() || at->second != mark_of(entry.path())) {
      fail_usage("demo: {}/out/{}: is not as the demo made it; name another folder, or delete it",
                 folder, name);
    }
  }
  std::vector<std::pair<fs::path, const std::string*>> absent;
  for (const auto& [name, text] : files) {
    const fs::path path = fs::path(folder) / name;
    if (!fs::exists(path)) {
      absent.emplace_back(path, &text);
      continue;
    }
    std::ifstream file(path, std::ios::binary);
    std::stringstream content;
    content << file.rdbuf();
    if (content.str() != text) {
      fail_usage("demo: {}: is not as the demo made it; name another folder, or delete it",
                 path.string());
    }
  }
  std::vector<Output> outputs_of_absent;
  for (const auto& [path, text] : absent) {
    outputs_of_absent.emplace_back(path.string()).write(*text);
  }
  commit_all(outputs_of_absent);
}

}  // namespace zerobeat::tool
