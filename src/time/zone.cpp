#include <cctz/civil_time.h>
#include <cctz/time_zone.h>
#include <fmt/format.h>

#include <algorithm>
#include <fstream>
#include <limits>
#include <sstream>
#include <vector>
#include <zerobeat/base/error.hpp>
#include <zerobeat/time/zone.hpp>

namespace zerobeat::inline v1 {

namespace {

using std::chrono::local_seconds;
using std::chrono::seconds;
using std::chrono::sys_seconds;

cctz::civil_second civil(local_seconds local) {
  return cctz::civil_second(1970, 1, 1) + local.time_since_epoch().count();
}

local_seconds local(const cctz::civil_second& civil_time) {
  return local_seconds(seconds(civil_time - cctz::civil_second(1970, 1, 1)));
}

/// The names in the system's table of zones, to suggest one from.
std::vector<std::string> known_zones() {
  std::vector<std::string> names{"UTC"};
  std::ifstream table("/usr/share/zoneinfo/tzdata.zi");
  for (std::string line; std::getline(table, line);) {
    std::istringstream words(line);
    std::string kind, first, second_name;
    words >> kind >> first >> second_name;
    if (kind == "Z") names.push_back(first);
    if (kind == "L") names.push_back(second_name);
  }
  return names;
}

}  // namespace

struct Zone::Data {
  std::string name;
  cctz::time_zone zone;
  bool utc = false;
};

Zone::Zone() {
  static const auto utc = std::make_shared<const Data>(Data{"UTC", cctz::utc_time_zone(), true});
  data_ = utc;
}

Zone::Zone(const char* name) : Zone(find(name)) {}
Zone::Zone(const std::string& name) : Zone(find(name)) {}

Zone Zone::find(std::string_view name) {
  Zone found;
  if (name == "UTC") return found;
  cctz::time_zone zone;
  const bool plain_name = !name.empty() && name.front() != '/' && name.front() != '.' &&
                          name.front() != ':' && name.find("..") == std::string_view::npos &&
                          name.substr(0, 6) != "Fixed/" && name != "localtime";
  if (!plain_name || !cctz::load_time_zone(std::string(name), &zone)) {
    const auto candidates = known_zones();
    const std::string near = nearest(name, candidates);
    fail_usage("\"{}\" is not a zone; {}", name,
               near.empty() ? "zones are named like Europe/Dublin"
                            : fmt::format("did you mean {}?", near));
  }
  const bool utc = name == "Etc/UTC" || name == "Etc/UCT" || name == "Zulu" || name == "Etc/Zulu";
  found.data_ = std::make_shared<const Data>(Data{std::string(name), zone, utc});
  return found;
}

const std::string& Zone::name() const { return data_->name; }

bool Zone::is_utc() const { return data_->utc; }

Zone::OffsetStretch Zone::offset_stretch(sys_seconds t) const {
  OffsetStretch stretch{sys_seconds::min(), sys_seconds::max(), seconds(0)};
  if (data_->utc) return stretch;
  stretch.offset = seconds(data_->zone.lookup(t).offset);
  cctz::time_zone::civil_transition change;
  if (data_->zone.next_transition(t, &change)) {
    stretch.until = data_->zone.lookup(change.to).trans;
    if (change.from == change.to) stretch.until = t + seconds(1);
  }
  if (data_->zone.prev_transition(t + seconds(1), &change)) {
    stretch.from = data_->zone.lookup(change.to).trans;
    if (change.from == change.to) stretch.from = t;
  }
  return stretch;
}

Zone::LocalStretch Zone::stretch(local_seconds at) const {
  LocalStretch stretch{local_seconds::min(), local_seconds::max(), LocalStretch::Kind::unique,
                       seconds(0), seconds(0)};
  if (data_->utc) return stretch;

  const auto answer = data_->zone.lookup(civil(at));
  const seconds since_1970 = at.time_since_epoch();
  if (answer.kind != cctz::time_zone::civil_lookup::UNIQUE) {
    const bool repeated = answer.kind == cctz::time_zone::civil_lookup::REPEATED;
    stretch.kind = repeated ? LocalStretch::Kind::repeated : LocalStretch::Kind::skipped;
    stretch.offset = since_1970 - answer.pre.time_since_epoch();
    stretch.later_offset = since_1970 - answer.post.time_since_epoch();
    const seconds change = answer.trans.time_since_epoch();
    const local_seconds before(change + stretch.offset);
    const local_seconds after(change + stretch.later_offset);
    stretch.from = std::min(before, after);
    stretch.until = std::max(before, after);
    return stretch;
  }

  stretch.offset = stretch.later_offset = since_1970 - answer.pre.time_since_epoch();
  cctz::time_zone::civil_transition change;
  if (data_->zone.next_transition(answer.pre, &change)) {
    stretch.until = std::min(local(change.from), local(change.to));
  }
  if (data_->zone.prev_transition(answer.pre + seconds(1), &change)) {
    stretch.from = std::max(local(change.from), local(change.to));
  }
  // Changes that follow one another within hours can leave a stretch that misses its own time;
  // then it holds that one second.
  if (at < stretch.from || at >= stretch.until) {
    stretch.from = at;
    stretch.until = at + seconds(1);
  }
  return stretch;
}

seconds Zone::offset_at(Instant t) const {
  if (data_->utc) return seconds(0);
  return seconds(data_->zone.lookup(std::chrono::floor<seconds>(t)).offset);
}

std::string Zone::abbreviation_at(Instant t) const {
  if (data_->utc) return "UTC";
  return data_->zone.lookup(std::chrono::floor<seconds>(t)).abbr;
}

std::chrono::local_time<Nanoseconds> Zone::local_of(Instant t) const {
  return std::chrono::local_time<Nanoseconds>(t.time_since_epoch() + offset_at(t));
}

Instant Zone::first_instant(std::chrono::local_time<Nanoseconds> at) const {
  const local_seconds whole = std::chrono::floor<seconds>(at);
  const auto answer = stretch(whole);
  if (answer.kind == LocalStretch::Kind::skipped) {
    return Instant((answer.from - answer.offset).time_since_epoch());
  }
  return Instant((at - answer.offset).time_since_epoch());
}

void from_text(std::string_view text, Zone& out) { out = Zone::find(text); }

std::string to_text(const Zone& zone) { return zone.name(); }

}  // namespace zerobeat
