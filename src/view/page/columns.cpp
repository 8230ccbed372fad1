#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <zerobeat/base/text.hpp>

#include "base/parallel.hpp"
#include "kernel/bucket/numbers.hpp"
#include "kernel/order_statistics.hpp"
#include "view/page/html.hpp"
#include "view/page/pieces.hpp"
#include "view/page/sections.hpp"
#include "view/page/svg.hpp"
#include "view/picture/line.hpp"
#include "view/picture/names.hpp"
#include "view/picture/ticks.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr int figure_width = 900, figure_height = 260, histogram_width = 360;
constexpr std::size_t most_pieces = 780;

constexpr std::array<std::pair<const char*, double>, 5> told_quantiles{
    {{"q05", 0.05}, {"q25", 0.25}, {"median", 0.5}, {"q75", 0.75}, {"q95", 0.95}}};
constexpr std::size_t bins = 30;

/// One column of one strand, and what its readings are like.
struct Pair {
  const PageSource* source = nullptr;
  std::size_t strand = 0;
  std::string name{};
  Column numbers{};
  std::size_t rows = 0;
  std::size_t count = 0;  ///< readings
  double least = 0, most = 0, mean = 0, std = 0;
  std::array<double, told_quantiles.size()> quantiles{};
  std::vector<std::int64_t> histogram{};

  [[nodiscard]] const Strand& rows_of() const { return source->timeline.strands()[strand]; }
  [[nodiscard]] double missing_share() const {
    return rows == 0 ? 1 : 1 - static_cast<double>(count) / static_cast<double>(rows);
  }
  [[nodiscard]] std::string title() const {
    const auto& key = rows_of().key;
    return key ? name + ", " + key_text(*key) : name;
  }
};

std::vector<Pair> pairs_of(const PageContent& content) {
  std::vector<Pair> pairs;
  for (const PageSource& source : content.sources) {
    const Timeline& timeline = source.timeline;
    for (const auto& name : timeline.values().numeric_names()) {
      const Column numbers = timeline.values().column(name).as_numbers();
      for (std::size_t s = 0; s < timeline.strands().size(); ++s) {
        pairs.push_back({&source, s, name, numbers, timeline.strands()[s].size()});
      }
    }
  }
  return pairs;
}

/// The bin of a reading, of so many between the least and the greatest.
std::size_t bin_of(double x, const Pair& pair) {
  if (pair.least == pair.most) return 0;
  const double place = (x - pair.least) / (pair.most - pair.least) * bins;
  return std::min(bins - 1, static_cast<std::size_t>(place));
}

void look_at(Pair& pair) {
  const auto values = pair.numbers.numbers();
  std::vector<double> readings;
  for (std::size_t row = pair.rows_of().begin; row < pair.rows_of().end; ++row) {
    if (pair.numbers.valid(row) && std::isfinite(values[row])) readings.push_back(values[row]);
  }
  pair.count = readings.size();
  if (readings.empty()) return;
  const auto [least, most] = std::ranges::minmax(readings);
  pair.least = least;
  pair.most = most;
  BucketNumbers numbers(readings, {});
  pair.mean = numbers(Take{.stat = Stat::mean});
  pair.std = numbers(Take{.stat = Stat::std});
  pair.histogram.assign(pair.least == pair.most ? 1 : bins, 0);
  for (const double x : readings) ++pair.histogram[bin_of(x, pair)];
  // Quantiles by selection: what was put in order for one needs no look for the next.
  std::size_t ordered = 0;
  const auto at = [&](std::size_t k) {
    if (k >= ordered) {
      const auto begin = readings.begin() + static_cast<std::ptrdiff_t>(ordered);
      std::nth_element(begin, readings.begin() + static_cast<std::ptrdiff_t>(k), readings.end());
      ordered = k + 1;
    }
    return readings[k];
  };
  for (std::size_t q = 0; q < told_quantiles.size(); ++q) {
    pair.quantiles[q] = quantile_at(pair.count, told_quantiles[q].second, at);
  }
}

/// Its least and greatest in each piece of time, and the line of means.
std::string figure_of(const Pair& pair) {
  const Timeline& timeline = pair.source->timeline;
  const Strand& strand = pair.rows_of();
  const auto times = timeline.times();
  Canvas canvas{times[strand.begin], times[strand.end - 1], figure_width, false,
                timeline.axis().elapsed};
  if (canvas.last <= canvas.first) canvas.last = canvas.first + Nanoseconds(1);
  const bool readings = strand.size() <= most_pieces;
  Panel panel;
  panel.x = time_axis(canvas, timeline.zone(), timeline.axis(), timeline.time_name());
  panel.y.name = name_with_unit(pair.name);
  const double room = std::max(0.05 * (pair.most - pair.least), 1e-9);
  panel.y.low = pair.least - room;
  panel.y.high = pair.most + room;
  const DrawnLine drawn =
      drawn_line({&timeline, strand, pair.numbers, pair.name, pair.title()}, canvas);
  if (!readings) {
    const auto pieces =
        pieces_of(timeline, strand, pair.numbers, canvas.first, canvas.last, most_pieces);
    AreaShape area{.ink = "#9cc3d8"};
    const double low = canvas.x(canvas.first), step = (canvas.x(canvas.last) - low) / most_pieces;
    bool open = true;
    for (std::size_t i = 0; i < pieces.size(); ++i) {
      if (pieces[i].count == 0) {
        open = true;
        continue;
      }
      if (std::exchange(open, false)) area.stretches.emplace_back();
      area.stretches.back().push_back(
          {low + (static_cast<double>(i) + 0.5) * step, pieces[i].least, pieces[i].most});
    }
    panel.shapes.push_back({std::move(area), "least and greatest of each piece", false, false});
  }
  LineShape line{.stretches = drawn.stretches, .ink = ink(0), .width = 1.2};
  std::erase_if(line.stretches, [](const auto& stretch) { return stretch.size() < 2; });
  panel.shapes.push_back({std::move(line), pair.title(), false, false});
  Drawing drawing;
  drawing.name = pair.title();
  drawing.description = fmt::format("{} readings from {} to {}, between {:.6g} and {:.6g}",
                                    grouped(static_cast<std::int64_t>(pair.count)),
                                    time_of(canvas.first, *pair.source),
                                    time_of(canvas.last, *pair.source), pair.least, pair.most);
  drawing.rows.push_back({{std::move(panel)}});
  const double piece_s =
      (canvas.x(canvas.last) - canvas.x(canvas.first)) / static_cast<double>(most_pieces);
  return fmt::format(
      "<figure{}{}{}{}{}>{}<figcaption>{}</figcaption></figure>",
      attribute("data-column", pair.name), attribute("data-key", strand.key.value_or("")),
      attribute("data-from", time_of(canvas.first, *pair.source)),
      attribute("data-to", time_of(canvas.last, *pair.source)),
      readings ? attribute("data-piece", "readings") : attribute("data-piece", piece_s),
      page_svg(drawing, figure_width, figure_height),
      readings ? "every reading"
               : fmt::format("least, greatest and course of pieces of {}",
                             timeline.axis().is_instants() ? length_text(piece_s)
                                                           : fmt::format("{:.4g}", piece_s)));
}

std::string histogram_of(const Pair& pair) {
  const double low = pair.least, high = pair.most;
  const auto& counts = pair.histogram;
  Panel panel;
  panel.x.name = name_with_unit(pair.name);
  panel.y.name = "readings";
  const double step = low == high ? 1 : (high - low) / bins;
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
  return page_svg(drawing, histogram_width, figure_height);
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

}  // namespace

std::string columns_section(const PageContent& content) {
  auto pairs = pairs_of(content);
  parallel_for(std::size_t{0}, pairs.size(), [&](std::size_t i) { look_at(pairs[i]); });
  const bool all = pairs.size() <= most_figures;
  if (!all) {
    // The worst first: of which most is missing.
    std::ranges::stable_sort(pairs, std::greater(), &Pair::missing_share);
  }
  std::string out =
      "<section id=\"columns\" aria-labelledby=\"columns-title\"><h2 id=\"columns-title\">What is "
      "each column like?</h2>";
  std::size_t drawn = 0;
  std::string rest;
  constexpr std::size_t most_rows = 500;
  std::size_t told = 0, left_out = 0;
  for (const Pair& pair : pairs) {
    if (pair.count == 0) {
      out += fmt::format("<p>{}: every reading is missing.</p>", escaped(pair.title()));
    } else if (drawn < most_figures) {
      ++drawn;
      out += fmt::format(
          "<article{}><h3>{}</h3><div class=\"pair\">{}<div class=\"beside\">{}{}"
          "</div></div></article>",
          attribute("data-source", name_of(*pair.source)), escaped(pair.title()), figure_of(pair),
          histogram_of(pair), statistics_of(pair));
    } else if (told < most_rows) {
      ++told;
      rest += fmt::format(
          "<tr{}{}><th scope=\"row\">{}</th><td class=\"number\">{}</td><td "
          "class=\"number\">{:.2f}%"
          "</td><td class=\"number\">{:.6g}</td><td class=\"number\">{:.6g}</td></tr>",
          attribute("data-column", pair.name),
          attribute("data-key", pair.rows_of().key.value_or("")), escaped(pair.title()),
          grouped(static_cast<std::int64_t>(pair.count)), 100 * pair.missing_share(), pair.least,
          pair.most);
    } else {
      ++left_out;
    }
  }
  if (!rest.empty()) {
    out += fmt::format(
        "<details><summary>{} more, of which less is missing</summary><table><thead><tr><th "
        "scope=\"col\">column</th><th scope=\"col\" class=\"number\">readings</th><th "
        "scope=\"col\" "
        "class=\"number\">missing</th><th scope=\"col\" class=\"number\">min</th><th scope=\"col\" "
        "class=\"number\">max</th></tr></thead><tbody>{}</tbody></table>",
        told + left_out, rest);
    if (left_out > 0) out += fmt::format("<p>{} more</p>", left_out);
    out += "</details>";
  }
  return out + "</section>";
}

}  // namespace zerobeat::detail
