#include "view/picture/describe.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <boost/math/distributions/normal.hpp>
#include <cmath>
#include <zerobeat/base/text.hpp>

#include "kernel/bucket/numbers.hpp"
#include "kernel/order_statistics.hpp"
#include "view/gnuplot.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t most_strands = 4;
constexpr std::size_t most_points = 2'000;

/// The readings of one strand, sorted.
struct Described {
  std::string title;
  std::vector<double> sorted;
  double mean = 0, std = 0;
};

Described described(const Column& numbers, const Strand& strand, const std::string& name) {
  Described out;
  for (std::size_t row = strand.begin; row < strand.end; ++row) {
    if (numbers.valid(row) && std::isfinite(numbers.numbers()[row])) {
      out.sorted.push_back(numbers.numbers()[row]);
    }
  }
  std::ranges::sort(out.sorted);
  BucketNumbers bucket_numbers(out.sorted, {});
  out.mean = bucket_numbers(Take{.stat = Stat::mean});
  out.std = bucket_numbers(Take{.stat = Stat::std});
  out.title = fmt::format("{}{}: {} readings, mean {:.4g}, std {:.4g}", name,
                          strand.key ? " " + key_text(*strand.key) : "",
                          grouped(static_cast<std::int64_t>(out.sorted.size())), out.mean, out.std);
  return out;
}

std::vector<Described> all_described(std::span<const Timeline> timelines, const std::string& name) {
  if (timelines.size() > 1) fail_usage("‹describe› draws a column of one file");
  const Timeline& timeline = timelines[0];
  const Column& column = timeline.values().column(name);
  if (!column.is_numeric()) fail_usage("‹describe› {}: it holds no numbers", shown(name));
  const Column numbers = column.as_numbers();
  std::vector<Described> all;
  for (const Strand& strand : timeline.strands()) {
    Described description = described(numbers, strand, name);
    if (!description.sorted.empty()) all.push_back(std::move(description));
  }
  if (all.empty()) fail_usage("there is nothing to draw: every reading is missing");
  if (all.size() > most_strands) {
    fail_usage("‹describe› {}: {} strands are more than fit, which is {}; choose some: ‹keys› A,B",
               shown(name), all.size(), most_strands);
  }
  return all;
}

struct Bins {
  double from = 0, width = 1;
  std::vector<std::int64_t> counts;
};

/// Bins of twice the interquartile range over the cube root of n, between 8 and 120 of them.
Bins bins_of(const Described& described) {
  const std::size_t n = described.sorted.size();
  const auto at = [&](std::size_t k) { return described.sorted[k]; };
  const double range = described.sorted.back() - described.sorted.front();
  Bins bins;
  if (range == 0) {
    bins.from = described.sorted.front() - 0.5;
    bins.counts = {static_cast<std::int64_t>(n)};
    return bins;
  }
  const double middle = quantile_at(n, 0.75, at) - quantile_at(n, 0.25, at);
  const double asked = middle > 0 ? range / (2 * middle / std::cbrt(static_cast<double>(n))) : 30;
  const double number = std::clamp(std::ceil(asked), 8.0, 120.0);
  bins.width = range / number;
  bins.from = described.sorted.front();
  bins.counts.assign(static_cast<std::size_t>(number), 0);
  for (const double x : described.sorted) {
    const auto bin = static_cast<std::size_t>((x - bins.from) / bins.width);
    ++bins.counts[std::min(bin, bins.counts.size() - 1)];
  }
  return bins;
}

void put_data(std::string& out, const Described& described, const Bins& bins, std::size_t place) {
  out += fmt::format("$bins{} << END_OF_DATA\n", place);
  for (std::size_t i = 0; i < bins.counts.size(); ++i) {
    const double middle = bins.from + bins.width * (static_cast<double>(i) + 0.5);
    out += fmt::format("{} {} {}\n", middle, bins.counts[i], bins.width);
  }
  out += fmt::format("END_OF_DATA\n$quantiles{} << END_OF_DATA\n", place);
  // Not by way of long double, whose tables would be filled before main, and not under valgrind.
  using namespace boost::math::policies;
  const boost::math::normal_distribution<double, policy<promote_double<false>>> normal;
  const std::size_t n = described.sorted.size(), points = std::min(n, most_points);
  for (std::size_t p = 0; p < points; ++p) {
    // The first and the last are always among them.
    const std::size_t i = points == 1 ? 0 : p * (n - 1) / (points - 1);
    const double share = (static_cast<double>(i) + 0.5) / static_cast<double>(n);
    out += fmt::format("{:.6f} {}\n", boost::math::quantile(normal, share), described.sorted[i]);
  }
  out += "END_OF_DATA\n";
}

/// The normal curve, as high as that many readings in such bins would be.
std::string curve_of(const Described& described, const Bins& bins) {
  return fmt::format("{:.9g}*exp(-0.5*((x-({:.9g}))/{:.9g})**2)",
                     static_cast<double>(described.sorted.size()) * bins.width /
                         (described.std * std::sqrt(2 * std::acos(-1.0))),
                     described.mean, described.std);
}

void put_panels(std::string& out, const Described& described, const Bins& bins,
                const std::string& name, std::size_t place) {
  const bool spread = described.std > 0;
  out += plain_frame() + "set key top right Left reverse samplen 2 textcolor rgb \"" + text_ink +
         "\"\nset autoscale\nset samples 400\n";
  out += fmt::format("set title {} textcolor rgb \"{}\"\n", in_quotes(described.title), text_ink);
  out += fmt::format(
      "set xlabel {} textcolor rgb \"{}\"\nset ylabel \"readings\" textcolor rgb "
      "\"{}\"\nset yrange [0:*]\nset offsets 0, 0, graph 0.12, 0\n",
      in_quotes(name), text_ink, text_ink);
  out += fmt::format(
      "plot $bins{} using 1:2:3 with boxes fillstyle solid 0.85 border rgb "
      "\"#ffffff\" linecolor rgb \"{}\" notitle",
      place, ink(0));
  if (spread) {
    out += fmt::format(
        ", {} with lines linewidth 2 linecolor rgb \"{}\" title "
        "\"normal, of this mean and std\"",
        curve_of(described, bins), ink(1));
  }
  out += fmt::format(
      "\nset key top left\nset title \"\"\nset xlabel \"quantile of the normal distribution\" "
      "textcolor "
      "rgb \"{}\"\nset ylabel {} textcolor rgb \"{}\"\nset yrange [*:*]\nset offsets "
      "graph 0.03, graph 0.03, graph 0.08, graph 0.04\n",
      text_ink, in_quotes(name), text_ink);
  out += "plot ";
  if (spread) {
    out += fmt::format(
        "{:.9g}+{:.9g}*x with lines linewidth 2 linecolor rgb \"{}\" title "
        "\"where normal ones lie\", ",
        described.mean, described.std, ink(1));
  }
  out += fmt::format(
      "$quantiles{} using 1:2 with points pointtype 7 pointsize 0.35 linecolor rgb "
      "\"{}\" notitle\n",
      place, ink(0));
}

void check(const Figure& look) {
  const bool others = !look.y.empty() || !look.y2.empty() || !look.over.empty() || look.bars ||
                      look.panels || look.log || look.gaps || look.mean;
  if (others) {
    fail_usage(
        "‹describe› {} draws a column's readings, not lines over time; ‹between›, ‹last›, "
        "‹keys› and ‹size› go with it",
        shown(look.describe));
  }
}

}  // namespace

std::vector<std::string> draw_description(std::span<const Timeline> timelines, const Figure& look,
                                          Output& output, const std::string& path) {
  check(look);
  const auto all = all_described(timelines, look.describe);
  std::string data, panels;
  std::vector<std::string> titles;
  for (std::size_t i = 0; i < all.size(); ++i) {
    const Bins bins = bins_of(all[i]);
    put_data(data, all[i], bins, i);
    put_panels(panels, all[i], bins, look.describe, i);
    titles.push_back(all[i].title);
  }
  const std::string script =
      fmt::format("{}set multiplot layout {},2\n{}unset multiplot\n", data, all.size(), panels);
  const Caption caption{fmt::format("{}: how its readings are spread", shown(look.describe)),
                        fmt::format("{}", fmt::join(titles, "; "))};
  draw(script, caption, look.size, output, path);
  return {};
}

}  // namespace zerobeat::detail
