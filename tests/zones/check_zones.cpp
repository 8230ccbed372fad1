// Reads what `zdump -v` prints, and compares every change of every zone with what Zone says: the
// offset and the abbreviation on both sides of it, and which local times it repeats or skips.

#include <fmt/format.h>

#include <algorithm>
#include <cstdio>
#include <iostream>
#include <map>
#include <optional>
#include <sstream>
#include <string>
#include <zerobeat/time/zone.hpp>

namespace {

using namespace zerobeat;
using std::chrono::seconds;
using Kind = Zone::LocalStretch::Kind;

/// Europe/Dublin  Sun Oct 26 00:59:59 2025 UT = Sun Oct 26 01:59:59 2025 IST isdst=1 gmtoff=3600
struct Line {
  std::string zone, abbreviation;
  std::int64_t t = 0;
  std::int64_t offset = 0;
};

std::optional<Line> read(const std::string& text) {
  std::istringstream words(text);
  Line line;
  std::string weekday, month, clock, ut, equals, skip, is_dst, offset;
  int day = 0, year = 0;
  words >> line.zone >> weekday >> month >> day >> clock >> year >> ut >> equals;
  if (!words || ut != "UT" || equals != "=") return std::nullopt;
  words >> skip >> skip >> skip >> skip >> skip >> line.abbreviation >> is_dst >> offset;
  if (!words || offset.rfind("gmtoff=", 0) != 0) return std::nullopt;
  static const std::string months = "JanFebMarAprMayJunJulAugSepOctNovDec";
  const auto number = static_cast<unsigned>(months.find(month) / 3 + 1);
  int h = 0, m = 0, s = 0;
  if (std::sscanf(clock.c_str(), "%d:%d:%d", &h, &m, &s) != 3) return std::nullopt;
  if (year < 1900 || year > 2100) return std::nullopt;
  const std::chrono::sys_days date(std::chrono::year(year) / std::chrono::month(number) /
                                   std::chrono::day(static_cast<unsigned>(day)));
  line.t = date.time_since_epoch().count() * 86'400 + h * 3600 + m * 60 + s;
  line.offset = std::stoll(offset.substr(7));
  return line;
}

class Checker {
 public:
  void check(const Line& line) {
    const Zone& zone = zone_of(line.zone);
    const Instant t = instant_of(line.t * 1'000'000'000);
    ++checks;
    expect(zone.offset_at(t).count() == line.offset, line, "offset");
    expect(zone.abbreviation_at(t) == line.abbreviation, line, "abbreviation");
    const auto own = zone.offset_stretch(std::chrono::sys_seconds(seconds(line.t)));
    expect(own.offset.count() == line.offset && own.from.time_since_epoch().count() <= line.t &&
               own.until.time_since_epoch().count() > line.t,
           line, "stretch of the offset");
    const auto stretch = at_local(zone, line.t + line.offset);
    expect(stretch.offset.count() == line.offset || stretch.later_offset.count() == line.offset,
           line, "way back from the local time");
    if (before_ && before_->zone == line.zone && before_->t + 1 == line.t) check_change(line);
    before_ = line;
  }

  std::int64_t checks = 0, changes = 0, mismatches = 0;
  std::size_t zones() const { return zones_.size(); }

 private:
  const Zone& zone_of(const std::string& name) {
    const auto at = zones_.find(name);
    return at != zones_.end() ? at->second : zones_.emplace(name, Zone::find(name)).first->second;
  }

  static Zone::LocalStretch at_local(const Zone& zone, std::int64_t local) {
    return zone.stretch(std::chrono::local_seconds(seconds(local)));
  }

  /// A change at line.t: what its clocks show twice, or never.
  void check_change(const Line& line) {
    ++changes;
    if (before_->offset == line.offset) return;
    const Zone& zone = zone_of(line.zone);
    const bool back = line.offset < before_->offset;
    const std::int64_t from = line.t + std::min(line.offset, before_->offset);
    const std::int64_t until = line.t + std::max(line.offset, before_->offset);
    for (const std::int64_t local : {from, (from + until) / 2, until - 1}) {
      const auto stretch = at_local(zone, local);
      expect(stretch.kind == (back ? Kind::repeated : Kind::skipped), line, "kind of local time");
      expect(
          stretch.offset.count() == before_->offset && stretch.later_offset.count() == line.offset,
          line, "offsets of the change");
      expect(stretch.from.time_since_epoch().count() == from &&
                 stretch.until.time_since_epoch().count() == until,
             line, "extent of the change");
    }
    for (const std::int64_t local : {from - 1, until}) {
      const auto stretch = at_local(zone, local);
      // Another change may follow within the hour.
      expect(stretch.from.time_since_epoch().count() <= local &&
                 stretch.until.time_since_epoch().count() > local,
             line, "stretch beside the change");
    }
  }

  void expect(bool good, const Line& line, const char* what) {
    if (good) return;
    if (++mismatches <= 20) fmt::print("{} at {}: {} is wrong\n", line.zone, line.t, what);
  }

  std::map<std::string, Zone> zones_;
  std::optional<Line> before_;
};

}  // namespace

int main() {
  Checker checker;
  for (std::string text; std::getline(std::cin, text);) {
    if (const auto line = read(text)) checker.check(*line);
  }
  fmt::print("{} zones, {} changes, {} instants from 1900 to 2100: {} mismatches\n",
             checker.zones(), checker.changes, checker.checks, checker.mismatches);
  return checker.mismatches == 0 && checker.changes > 0 ? 0 : 1;
}
