#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>
#include <zerobeat/base/text.hpp>

#include "view/page/encoded.hpp"
#include "view/page/html.hpp"
#include "view/page/sections.hpp"
#include "view/page/svg.hpp"
#include "view/picture/names.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr int bars_width = 900, bars_height = 220;

std::string means_text(const char* name, const std::vector<Mean>& means) {
  std::vector<double> values;
  values.reserve(means.size());
  for (const Mean& mean : means) values.push_back(mean.count > 0 ? mean.value() : std::nan(""));
  return attribute(name, encoded(values));
}

/// Means by year, as they stand without a script.
std::string bars_of_years(const Pair& pair, const CalendarMeans& means, const CalendarDays& days) {
  std::vector<std::string> names;
  BoxShape bars{.ink = ink(0)};
  double low = std::min(0.0, pair.mean), high = std::max(0.0, pair.mean);
  for (std::size_t year = 0; year < means.years.size(); ++year) {
    names.push_back(fmt::format("{}", days.first_year + static_cast<int>(year)));
    if (means.years[year].count == 0) continue;
    const double value = means.years[year].value(), place = static_cast<double>(year);
    bars.boxes.push_back({place - 0.4, place + 0.4, std::min(0.0, value), std::max(0.0, value)});
    low = std::min(low, value);
    high = std::max(high, value);
  }
  Panel panel;
  panel.x = word_axis(names, 1);
  panel.y.name = "mean " + name_with_unit(pair.name);
  const double room = std::max(1e-9, 0.05 * (high - low));
  panel.y.low = low < 0 ? low - room : 0;
  panel.y.high = high > 0 ? high + room : 0;
  panel.shapes.push_back({std::move(bars), "mean of each year", false, false});
  panel.shapes.push_back(
      {RuleShape{.at = pair.mean, .ink = text_ink}, "mean of all", false, false});
  Drawing drawing;
  drawing.name = "Means of " + pair.title() + " by year";
  drawing.description = fmt::format("{} years from {}; the mean of all is {:.6g}", days.years,
                                    days.first_year, pair.mean);
  drawing.rows.push_back({{std::move(panel)}});
  return page_svg(drawing, bars_width, bars_height);
}

/// The lengths of days, equal ones together.
std::string days_text(std::size_t source, const CalendarDays& days) {
  std::string lengths;
  for (std::size_t day = 0; day < days.days();) {
    const Nanoseconds length = days.edges[day + 1] - days.edges[day];
    std::size_t end = day;
    while (end < days.days() && days.edges[end + 1] - days.edges[end] == length) ++end;
    lengths += fmt::format("{}[{},{}]", day == 0 ? "" : ",", length.count(), end - day);
    day = end;
  }
  return fmt::format("<span hidden class=\"days\"{}{}{}{}></span>",
                     attribute("data-of", static_cast<std::int64_t>(source)),
                     attribute("data-first-year", static_cast<std::int64_t>(days.first_year)),
                     attribute("data-zero", fmt::format("{}", nanoseconds_of(days.edges[0]))),
                     attribute("data-lengths", "[" + lengths + "]"));
}

/// The finest level that keeps the buckets of a page within bounds.
enum class Finest { hour, day, month };

Finest finest_of(const Pairs& pairs, std::span<const CalendarMeans> means) {
  constexpr std::size_t most_buckets = 100'000;
  std::size_t hours = 0, days = 0;
  for (std::size_t i = 0; i < pairs.drawn.size(); ++i) {
    hours += means[i].hours.size();
    days += means[i].days.size();
    // One that has too many has none of them.
    if (means[i].hours.empty()) hours += 24 * means[i].days.size();
  }
  return hours <= most_buckets ? Finest::hour : days <= most_buckets ? Finest::day : Finest::month;
}

}  // namespace

std::string drill_section(const Pairs& pairs, std::span<const CalendarMeans> means,
                          std::span<const CalendarDays> days) {
  std::string out =
      "<section id=\"drill\" aria-labelledby=\"drill-title\"><h2 id=\"drill-title\">What is it on "
      "the mean, and when?</h2>";
  const Finest finest = finest_of(pairs, means);
  std::set<std::size_t> told, without_years;
  for (std::size_t i = 0; i < pairs.drawn.size(); ++i) {
    const Pair& pair = pairs.drawn[i];
    if (!pair.timeline().axis().is_instants()) {
      if (without_years.insert(pair.source).second) {
        out += fmt::format("<p>{}: its times are elapsed, and have no years.</p>",
                           escaped(name_of(*pair.of)));
      }
      continue;
    }
    if (told.insert(pair.source).second) out += days_text(pair.source, days[pair.source]);
    const CalendarMeans& own = means[i];
    std::string levels = means_text("data-years", own.years) +
                         means_text("data-quarters", own.quarters) +
                         means_text("data-months", own.months);
    if (finest != Finest::month) {
      levels += attribute("data-first-day", static_cast<std::int64_t>(own.first_day)) +
                means_text("data-days", own.days);
    }
    if (finest == Finest::hour) levels += means_text("data-hours", own.hours);
    out += fmt::format(
        "<article><h3>{}</h3><div class=\"levels\"{} data-level=\"year\"{}{}{}>{}<p "
        "class=\"soft\">mean of all: {:.6g}</p></div></article>",
        escaped(pair.title()), pair.attributes(), attribute("data-mean", pair.mean),
        attribute("data-clock", static_cast<std::int64_t>(pair.source)), levels,
        bars_of_years(pair, own, days[pair.source]), pair.mean);
  }
  if (finest != Finest::hour) {
    out += fmt::format("<p>{} left out: there would be more than 100,000 bars.</p>",
                       finest == Finest::day ? "Hours are" : "Days and hours are");
  }
  if (!pairs.others.empty()) {
    out += fmt::format("<p>{} more columns of strands are not drawn.</p>",
                       grouped(static_cast<std::int64_t>(pairs.others.size())));
  }
  return out + "</section>";
}

}  // namespace zerobeat::detail
