#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <zerobeat/base/text.hpp>

#include "base/parallel.hpp"
#include "view/page/held.hpp"
#include "view/page/html.hpp"
#include "view/page/pieces.hpp"
#include "view/page/sections.hpp"
#include "view/page/svg.hpp"
#include "view/picture/line.hpp"
#include "view/picture/names.hpp"
#include "view/picture/ticks.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr int figure_width = 900, figure_height = 260, beside_width = 360;
constexpr std::size_t most_pieces = 780;

std::string piece_text(const Pair& pair, double piece) {
  return pair.timeline().axis().is_instants() ? length_text(piece) : fmt::format("{:.4g}", piece);
}

/// Steps longer than this are gaps, in what Canvas::x gives.
double open_after(const Pair& pair) {
  const auto times = pair.timeline().times().subspan(pair.rows_of().begin, pair.rows);
  // A source's steps were looked at when it was judged.
  const auto& judged = pair.of->judgement.strands;
  const auto strand = std::ranges::find(judged, pair.rows_of().key, &StrandJudgement::key);
  const bool known = strand != judged.end() && strand->typical_step_s;
  const double seconds = known ? longest_step(times, *strand->typical_step_s) : longest_step(times);
  const auto& unit = pair.timeline().axis().elapsed;
  return unit ? seconds * 1e9 / static_cast<double>(nanoseconds_of(*unit)) : seconds;
}

/// The band between the least and the greatest of each piece, and the line of their means.
void draw_pieces(const Pair& pair, const Canvas& canvas, Panel& panel) {
  const auto pieces = pieces_of(pair.timeline(), pair.rows_of(), pair.numbers, canvas.first,
                                canvas.last, most_pieces);
  AreaShape area{.ink = "#9cc3d8"};
  LineShape line{.ink = ink(0), .width = 1.2};
  const double low = canvas.x(canvas.first), step = (canvas.x(canvas.last) - low) / most_pieces;
  const double open = open_after(pair) + step;
  double before = -std::numeric_limits<double>::infinity();
  for (std::size_t i = 0; i < pieces.size(); ++i) {
    if (pieces[i].count == 0) continue;
    const double x = low + (static_cast<double>(i) + 0.5) * step;
    if (x - before > open) {
      area.stretches.emplace_back();
      line.stretches.emplace_back();
    }
    before = x;
    area.stretches.back().push_back({x, pieces[i].least, pieces[i].most});
    line.stretches.back().push_back({x, pieces[i].mean()});
  }
  PointShape alone{.ink = ink(0), .size = 4};
  alone.points = take_lone_points(line);
  panel.shapes.push_back({std::move(area), "least and greatest of each piece", false, false});
  panel.shapes.push_back({std::move(line), "mean of each piece", false, false});
  if (!alone.points.empty()) {
    panel.shapes.push_back({std::move(alone), "pieces between gaps", false, false});
  }
}

void draw_readings(const Pair& pair, const Canvas& canvas, Panel& panel) {
  const DrawnLine drawn =
      drawn_line({&pair.timeline(), pair.rows_of(), pair.numbers, pair.name, pair.title()}, canvas);
  LineShape line{.stretches = drawn.stretches, .ink = ink(0), .width = 1.2};
  PointShape alone{.ink = ink(0), .size = 4};
  alone.points = take_lone_points(line);
  panel.shapes.push_back({std::move(line), pair.title(), false, false});
  if (!alone.points.empty()) {
    panel.shapes.push_back({std::move(alone), "readings between gaps", false, false});
  }
}

/// Its least and greatest in each piece of time, or its readings, before and after what the script
/// is given stands.
struct FigureParts {
  std::string head{}, rest{}, caption{};
};

FigureParts figure_of(const Pair& pair) {
  const Timeline& timeline = pair.timeline();
  const Canvas canvas{pair.first(), pair.last(), figure_width, false, timeline.axis().elapsed};
  const bool readings = pair.rows <= most_pieces;
  Panel panel;
  panel.x = time_axis(canvas, timeline.zone(), timeline.axis(), timeline.time_name());
  panel.y.name = name_with_unit(pair.name);
  const double room = pair.most > pair.least ? 0.05 * (pair.most - pair.least)
                                             : std::max(1e-9, 0.05 * std::abs(pair.most));
  panel.y.low = pair.least - room;
  panel.y.high = pair.most + room;
  readings ? draw_readings(pair, canvas, panel) : draw_pieces(pair, canvas, panel);
  Drawing drawing;
  drawing.name = pair.title();
  const std::string from = time_of(canvas.first, *pair.of), to = time_of(canvas.last, *pair.of);
  drawing.description =
      fmt::format("{} readings from {} to {}, between {:.6g} and {:.6g}",
                  grouped(static_cast<std::int64_t>(pair.count)), from, to, pair.least, pair.most);
  drawing.rows.push_back({{std::move(panel)}});
  const double piece =
      (canvas.x(canvas.last) - canvas.x(canvas.first)) / static_cast<double>(most_pieces);
  FigureParts parts;
  parts.head =
      fmt::format("<figure{}{}{}{}{}", pair.attributes(), attribute("data-from", from),
                  attribute("data-to", to),
                  readings ? attribute("data-piece", "readings") : attribute("data-piece", piece),
                  attribute("data-clock", static_cast<std::int64_t>(pair.source)));
  // The script's times: nanoseconds after the first one, or numbers of the elapsed unit.
  const double unit = timeline.axis().is_instants() ? 1e9 : 1;
  parts.head += attribute("data-length", unit * (canvas.x(canvas.last) - canvas.x(canvas.first))) +
                attribute("data-open", unit * open_after(pair));
  if (timeline.axis().is_instants()) {
    parts.head += attribute("data-zero", nanoseconds_of(canvas.first));
  }
  parts.rest = page_svg(drawing, figure_width, figure_height);
  parts.caption =
      readings ? std::string("every reading")
               : fmt::format("least, greatest and mean of pieces of {}", piece_text(pair, piece));
  return parts;
}

std::string histogram_of(const Pair& pair) {
  const double low = pair.least, high = pair.most;
  const auto& counts = pair.histogram;
  Panel panel;
  panel.x.name = name_with_unit(pair.name);
  panel.y.name = "readings";
  const double step = low == high ? 1 : (high - low) / histogram_bins;
  panel.x.low = low == high ? low - 1 : low;
  panel.x.high = low == high ? low + 1 : high;
  panel.y.high = 1.05 * static_cast<double>(*std::ranges::max_element(counts));
  BoxShape bars{.ink = ink(0)};
  for (std::size_t i = 0; i < counts.size(); ++i) {
    const double left = low == high ? low - 0.5 : low + step * static_cast<double>(i);
    bars.boxes.push_back({left, left + 0.94 * step, 0, static_cast<double>(counts[i])});
  }
  panel.shapes.push_back({std::move(bars), "readings", false, false});
  Drawing drawing;
  drawing.name = "How often " + pair.title() + " was what";
  drawing.rows.push_back({{std::move(panel)}});
  return page_svg(drawing, beside_width, figure_height);
}

constexpr const char* weekdays[] = {"Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"};

/// Means by the day of the week.
Panel bars_of_week(const std::array<Mean, 24 * 7>& week, const Pair& pair) {
  Panel panel;
  panel.x = word_axis({std::begin(weekdays), std::end(weekdays)}, 1);
  panel.y.name = "mean " + name_with_unit(pair.name);
  BoxShape bars{.ink = ink(0)};
  double low = pair.mean, high = pair.mean;
  for (std::size_t day = 0; day < 7; ++day) {
    Mean all;
    for (std::size_t hour = 0; hour < 24; ++hour) all.add(week[24 * day + hour]);
    if (all.count == 0) continue;
    const auto place = static_cast<double>(day);
    bars.boxes.push_back(
        {place - 0.4, place + 0.4, std::min(0.0, all.value()), std::max(0.0, all.value())});
    low = std::min(low, all.value());
    high = std::max(high, all.value());
  }
  const double room = std::max(1e-9, 0.05 * (std::max(0.0, high) - std::min(0.0, low)));
  panel.y.low = low < 0 ? low - room : 0;
  panel.y.high = high > 0 ? high + room : 0;
  panel.shapes.push_back({std::move(bars), "mean by the day of the week", false, false});
  panel.shapes.push_back(
      {RuleShape{.at = pair.mean, .ink = text_ink}, "mean of all", false, false});
  return panel;
}

/// Means by the day of the week and the hour.
Panel cells_of_week(const std::array<Mean, 24 * 7>& week, const Pair& pair) {
  Panel panel;
  panel.x.low = 0;
  panel.x.high = 24;
  panel.x.name = "hour";
  panel.x.grid = panel.y.grid = false;
  panel.x.ticks = [](int) {
    std::vector<AxisTick> ticks;
    for (int hour = 0; hour <= 24; hour += 6)
      ticks.push_back({double(hour), fmt::format("{}", hour)});
    return ticks;
  };
  panel.y = word_axis({std::begin(weekdays), std::end(weekdays)}, 1);
  panel.y.reversed = true;
  panel.y.grid = false;
  HeatShape cells;
  ColorScale scale{pair.most, pair.least, "mean " + name_with_unit(pair.name)};
  for (std::size_t day = 0; day < 7; ++day) {
    for (std::size_t hour = 0; hour < 24; ++hour) {
      const Mean& mean = week[24 * day + hour];
      if (mean.count == 0) continue;
      const auto left = static_cast<double>(hour), middle = static_cast<double>(day);
      cells.boxes.push_back({left, left + 1, middle - 0.5, middle + 0.5});
      cells.values.push_back(mean.value());
      scale.low = std::min(scale.low, mean.value());
      scale.high = std::max(scale.high, mean.value());
    }
  }
  if (!(scale.high > scale.low))
    scale.high = scale.low + std::max(1e-9, std::abs(scale.low) * 1e-9);
  panel.shapes.push_back(
      {std::move(cells), "mean by the day of the week and the hour", false, false});
  panel.scale = scale;
  return panel;
}

/// The week of the zone's clocks; none on an axis that has no weeks.
std::string week_of(const Pair& pair, const CalendarMeans& means) {
  if (!pair.timeline().axis().is_instants()) return {};
  Drawing drawing;
  drawing.name = "The week of " + pair.title();
  drawing.description =
      fmt::format("means by the day of the week{} in {}; the mean of all is {:.6g}",
                  means.daily ? "" : " and the hour", pair.timeline().zone().name(), pair.mean);
  drawing.rows.push_back(
      {{means.daily ? bars_of_week(means.week, pair) : cells_of_week(means.week, pair)}});
  return fmt::format("<div class=\"week\">{}<p>mean of all: {:.6g}</p></div>",
                     page_svg(drawing, beside_width, figure_height), pair.mean);
}

/// What the readings are like, for people and in full precision.
std::string statistics_of(const Pair& pair) {
  std::string out;
  const auto put = [&](const char* name, double value, const std::string& text) {
    out += fmt::format("<div{}{}><dt>{}</dt><dd>{}</dd></div>", attribute("data-stat", name),
                       attribute("data-value", value), name, escaped(text));
  };
  const auto number = [&](const char* name, double value) {
    put(name, value, std::isfinite(value) ? fmt::format("{:.6g}", value) : "–");
  };
  put("count", static_cast<double>(pair.count), grouped(static_cast<std::int64_t>(pair.count)));
  put("missing", pair.missing_share(), fmt::format("{:.2f}%", 100 * pair.missing_share()));
  number("mean", pair.mean);
  number("std", pair.std);
  number("min", pair.least);
  for (std::size_t q = 0; q < told_quantiles.size(); ++q) {
    number(told_quantiles[q].first, pair.quantiles[q]);
  }
  number("max", pair.most);
  return "<dl class=\"stats\">" + out + "</dl>";
}

/// One column of one strand, but for what the script is given, which stands between.
struct Article {
  std::string before{}, after{};
};

Article article_of(const Pair& pair, const CalendarMeans& means, bool of_series) {
  FigureParts figure = figure_of(pair);
  Article article;
  article.before =
      fmt::format("<article{}><h3>{}</h3><div class=\"pair\">{}",
                  attribute(of_series ? "data-series" : "data-source", name_of(*pair.of)),
                  escaped(pair.title()), figure.head);
  article.after = fmt::format(
      ">{}<figcaption>{}</figcaption></figure><div class=\"beside\">{}{}{}</div></div></article>",
      figure.rest, escaped(figure.caption), histogram_of(pair), week_of(pair, means),
      statistics_of(pair));
  return article;
}

std::string others_of(const std::vector<Pair>& others) {
  if (others.empty()) return {};
  constexpr std::size_t most_rows = 500;
  std::string rows;
  for (const Pair& pair : std::span(others).first(std::min(most_rows, others.size()))) {
    rows += fmt::format(
        "<tr{}><th scope=\"row\">{}</th><td class=\"number\">{}</td><td "
        "class=\"number\">{:.2f}%</td><td class=\"number\">{:.6g}</td><td "
        "class=\"number\">{:.6g}</td></tr>",
        pair.attributes(), escaped(shortened(pair.title(), 200)),
        grouped(static_cast<std::int64_t>(pair.count)), 100 * pair.missing_share(), pair.least,
        pair.most);
  }
  std::string out = fmt::format(
      "<details><summary>{} more, of which less is missing</summary><table><thead><tr><th "
      "scope=\"col\">column</th><th scope=\"col\" class=\"number\">readings</th><th scope=\"col\" "
      "class=\"number\">missing</th><th scope=\"col\" class=\"number\">min</th><th scope=\"col\" "
      "class=\"number\">max</th></tr></thead><tbody>{}</tbody></table>",
      grouped(static_cast<std::int64_t>(others.size())), rows);
  if (others.size() > most_rows) out += fmt::format("<p>{} more</p>", others.size() - most_rows);
  return out + "</details>";
}

/// What the clocks of a source's zone show: from which second on how many seconds are between them
/// and UTC.
std::string clock_of(const Pair& pair) {
  const Timeline& timeline = pair.timeline();
  if (!timeline.axis().is_instants()) return {};
  constexpr std::size_t most_stretches = 300;
  const auto second = [](Instant t) { return std::chrono::floor<std::chrono::seconds>(t); };
  Instant first = pair.first(), last = pair.last();
  for (const Strand& strand : timeline.strands()) {
    if (strand.size() == 0) continue;
    first = std::min(first, timeline.times()[strand.begin]);
    last = std::max(last, timeline.times()[strand.end - 1]);
  }
  std::string offsets;
  auto at = second(first);
  for (std::size_t i = 0; i < most_stretches && at <= second(last); ++i) {
    const auto stretch = timeline.zone().offset_stretch(at);
    offsets += fmt::format("{}[{},{}]", i == 0 ? "" : ",", at.time_since_epoch().count(),
                           stretch.offset.count());
    at = stretch.until;
  }
  return fmt::format("<span hidden class=\"clock\"{}{}{}></span>",
                     attribute("data-of", static_cast<std::int64_t>(pair.source)),
                     attribute("data-zone", timeline.zone().name()),
                     attribute("data-offsets", "[" + offsets + "]"));
}

}  // namespace

std::string columns_section(const PageContent& content, const Pairs& pairs,
                            std::span<const CalendarMeans> means, std::size_t bytes) {
  std::string out =
      "<section id=\"columns\" aria-labelledby=\"columns-title\"><h2 id=\"columns-title\">What is "
      "each column like?</h2>";
  for (const Pair& pair : pairs.empty) {
    out += fmt::format("<p>{}: every reading is missing.</p>", escaped(pair.title()));
  }
  std::vector<Article> articles(pairs.drawn.size());
  parallel_for(std::size_t{0}, articles.size(), [&](std::size_t i) {
    articles[i] =
        article_of(pairs.drawn[i], means[i], pairs.drawn[i].source >= content.sources.size());
  });
  const std::string rest = others_of(pairs.others);
  std::size_t taken = out.size() + rest.size();
  for (const Article& article : articles) taken += article.before.size() + article.after.size();
  std::size_t left = bytes > taken ? bytes - taken : 0;
  std::vector<Held> held(articles.size());
  for (std::size_t i = 0; i < articles.size(); ++i) {
    // What one does not use is there for the next.
    held[i] = held_of(pairs.drawn[i], content.changes, left / (articles.size() - i));
    left -= std::min(left, held[i].attributes.size());
  }
  std::vector<std::size_t> clocks;
  for (std::size_t i = 0; i < articles.size(); ++i) {
    const Pair& pair = pairs.drawn[i];
    if (std::ranges::find(clocks, pair.source) == clocks.end()) {
      clocks.push_back(pair.source);
      out += clock_of(pair);
    }
    out += articles[i].before + held[i].attributes;
    if (held[i].left_out > 0) {
      out += attribute("data-left-out", static_cast<std::int64_t>(held[i].left_out));
    }
    out += articles[i].after;
  }
  return out + rest + "</section>";
}

}  // namespace zerobeat::detail
