#include "view/picture/missing.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <zerobeat/base/text.hpp>
#include <zerobeat/regular/gaps.hpp>

#include "time/wide_instant.hpp"
#include "view/gnuplot.hpp"
#include "view/picture/line.hpp"
#include "view/picture/ticks.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t most_strips = 400;
constexpr const char* there_ink = "#bcd3dd";
constexpr const char* some_ink = "#e0a58c";
constexpr const char* none_ink = "#b03a1e";

/// One strand's column.
struct Strip {
  std::string title{};
  double from = 0, to = 0;  ///< of its records, in seconds from the left edge
  std::vector<TimeSpan> missing{};
  double missing_s = 0;
};

/// A stretch of one kind of a strip.
struct Patch {
  double from = 0, to = 0;
};

class MissingPicture {
 public:
  MissingPicture(std::span<const Timeline> timelines, const Figure& look)
      : timelines_(timelines), look_(look) {
    Instant first = Instant::max(), last = Instant::min();
    for (const Timeline& timeline : timelines) {
      if (timeline.axis().is_instants() != timelines[0].axis().is_instants()) {
        fail_usage("the times of {} are {} and those of {} {}; they have no common axis",
                   timelines[0].name(), to_text(timelines[0].axis()), timeline.name(),
                   to_text(timeline.axis()));
      }
      for (const Instant t : timeline.times()) {
        first = std::min(first, t);
        last = std::max(last, t);
      }
    }
    if (first > last) fail_usage("there is nothing to draw: no records");
    canvas_ = {first, std::max(last, first + Nanoseconds(1)), look.size.width};
    for (const Timeline& timeline : timelines) add(timeline);
    if (strips_.empty()) fail_usage("there is nothing to draw: no column");
    if (strips_.size() > most_strips) {
      fail_usage(
          "‹missing›: {} strips are more than fit, which is {}; choose some: ‹keys› A,B, "
          "‹y› COLUMNS",
          grouped(static_cast<std::int64_t>(strips_.size())), most_strips);
    }
  }

  std::string script() const {
    std::string out = plain_frame();
    put_patches(out);
    const auto n = static_cast<double>(strips_.size());
    // Titles are thinned until they stand apart.
    const double room = (look_.size.height - 130) / n;
    const int size = room >= 18 ? 11 : room >= 13 ? 9 : 8;
    const std::size_t every = std::max<std::size_t>(
        1, static_cast<std::size_t>(std::ceil((size + 4) / std::max(room, 0.1))));
    std::string names, shares;
    for (std::size_t i = 0; i < strips_.size(); i += every) {
      names +=
          fmt::format("{}{} {}", names.empty() ? "" : ", ", in_quotes(strips_[i].title), y_of(i));
      shares += fmt::format("{}\"{}%\" {}", shares.empty() ? "" : ", ", share_text(strips_[i]),
                            y_of(i));  // %% is one
    }
    out += fmt::format("set ytics ({}) font \",{}\" scale 0\n", names, size);
    out += fmt::format("set y2tics ({}) font \",{}\" scale 0 textcolor rgb \"{}\"\n", shares, size,
                       text_ink);
    out += fmt::format("set yrange [{}:{}]\nset y2range [{}:{}]\n", 0.2, n + 0.8, 0.2, n + 0.8);
    out +=
        fmt::format("set xrange [0:{:.9f}]\nunset grid\nset grid xtics\n", canvas_.x(canvas_.last));
    put_ticks(out);
    out += fmt::format(
        "set key outside top left horizontal Left reverse samplen 1 textcolor rgb "
        "\"{}\"\n",
        text_ink);
    const char* boxes = "with boxxyerror fillstyle solid 1 noborder";
    out += fmt::format(
        "plot $there using 1:2:3:4:5:6 {0} linecolor rgb \"{1}\" title \"there\", "
        "$some using 1:2:3:4:5:6 {0} linecolor rgb \"{2}\" title \"some missing\", "
        "$none using 1:2:3:4:5:6 {0} linecolor rgb \"{3}\" title \"missing\"\n",
        boxes, there_ink, some_ink, none_ink);
    return out;
  }

  Caption caption() const {
    std::vector<std::string> said;
    for (const Strip& strip : strips_) said.push_back(strip.title + " " + share_text(strip));
    if (said.size() > 20) said.resize(20);
    return {"What is there and what is missing", fmt::format("{}", fmt::join(said, "; "))};
  }

 private:
  void add(const Timeline& timeline) {
    std::vector<std::string> names;
    for (const auto& name : timeline.values().names()) {
      const bool chosen = look_.y.empty() || std::ranges::find(look_.y, name) != look_.y.end();
      if (chosen) names.push_back(name);
    }
    for (std::size_t s = 0; s < timeline.strands().size(); ++s) {
      const Strand& strand = timeline.strands()[s];
      if (strand.size() == 0) continue;
      for (const auto& name : names) {
        Strip strip;
        strip.title = title_of(timeline, strand, name, names.size());
        strip.from = canvas_.x(timeline.times()[strand.begin]);
        strip.to = canvas_.x(timeline.times()[strand.end - 1]);
        strip.missing = missing_spans(timeline, s, &timeline.values().column(name));
        for (const TimeSpan& span : strip.missing) {
          strip.missing_s += seconds_between(span.start, span.stop);
        }
        strips_.push_back(std::move(strip));
      }
    }
  }

  std::string title_of(const Timeline& timeline, const Strand& strand, const std::string& column,
                       std::size_t columns) const {
    std::string title = key_text(strand.key.value_or(""));
    if (timelines_.size() > 1) title = timeline.name() + (title.empty() ? "" : " ") + title;
    if (columns > 1 || title.empty()) title += (title.empty() ? "" : " ") + column;
    return title;
  }

  static std::string share_text(const Strip& strip) {
    const double span = strip.to - strip.from;
    const double there = span > 0 ? 100 * std::max(0.0, 1 - strip.missing_s / span) : 100;
    // What lacks a little is not all.
    return fmt::format("{:.{}f}%", strip.missing_s > 0 ? std::min(there, 99.9) : there,
                       strip.missing_s > 0 ? 1 : 0);
  }

  /// Pixels that are left for strips beside their titles.
  double width() const {
    std::size_t longest = 0;
    for (const Strip& strip : strips_) longest = std::max(longest, strip.title.size());
    return look_.size.width - 7.5 * static_cast<double>(longest) - 110;
  }

  /// The first stands at the top.
  double y_of(std::size_t i) const { return static_cast<double>(strips_.size() - i); }

  /// How much is missing of each pixel, as stretches of one kind.
  void patches_of(const Strip& strip, std::vector<Patch>& some, std::vector<Patch>& none) const {
    const double span = canvas_.x(canvas_.last);
    const double pixel = span / std::max(50.0, width());
    std::vector<double> share(static_cast<std::size_t>(std::ceil(span / pixel)) + 1, 0);
    for (const TimeSpan& stretch : strip.missing) {
      const double from = canvas_.x(stretch.start), to = canvas_.x(stretch.stop);
      const auto first = static_cast<std::size_t>(from / pixel);
      for (std::size_t p = first; p < share.size() && static_cast<double>(p) * pixel < to; ++p) {
        const double left = static_cast<double>(p) * pixel;
        share[p] += (std::min(to, left + pixel) - std::max(from, left)) / pixel;
      }
    }
    const auto kind = [&](std::size_t p) { return share[p] <= 0 ? 0 : share[p] < 0.5 ? 1 : 2; };
    for (std::size_t p = 0; p < share.size();) {
      const std::size_t begin = p;
      while (p < share.size() && kind(p) == kind(begin)) ++p;
      if (kind(begin) == 0) continue;
      const Patch patch{
          std::max(strip.from, static_cast<double>(begin) * pixel),
          std::min(std::max(strip.to, strip.from + pixel), static_cast<double>(p) * pixel)};
      if (patch.from < patch.to) (kind(begin) == 1 ? some : none).push_back(patch);
    }
  }

  void put_patches(std::string& out) const {
    std::string there, some, none;
    const double half = strips_.size() > 60 ? 0.46 : 0.36;
    const auto put = [&](std::string& into, double from, double to, std::size_t i) {
      into += fmt::format("{:.3f} {} {:.3f} {:.3f} {} {}\n", from, y_of(i), from, to,
                          y_of(i) - half, y_of(i) + half);
    };
    for (std::size_t i = 0; i < strips_.size(); ++i) {
      std::vector<Patch> of_some, of_none;
      patches_of(strips_[i], of_some, of_none);
      put(there, strips_[i].from, strips_[i].to, i);
      for (const Patch& patch : of_some) put(some, patch.from, patch.to, i);
      for (const Patch& patch : of_none) put(none, patch.from, patch.to, i);
    }
    // A block of data is never empty: a box of no size stands for none.
    for (const auto& [name, data] :
         {std::pair{"there", &there}, std::pair{"some", &some}, std::pair{"none", &none}}) {
      out += fmt::format("${} << END_OF_DATA\n{}END_OF_DATA\n", name,
                         data->empty() ? "0 -1 0 0 -1 -1\n" : *data);
    }
  }

  void put_ticks(std::string& out) const {
    const Axis& axis = timelines_[0].axis();
    const int most = static_cast<int>(width() / 115);
    std::string ticks;
    for (const auto& tick :
         axis.is_instants() ? time_ticks(canvas_.first, canvas_.last, timelines_[0].zone(), most)
                            : elapsed_ticks(canvas_.first, canvas_.last, *axis.elapsed, most)) {
      ticks +=
          fmt::format("{}\"{}\" {:.9f}", ticks.empty() ? "" : ", ", tick.label, canvas_.x(tick.at));
    }
    out += fmt::format("set xtics ({})\nset bmargin 5\n", ticks);
    const Zone& zone = timelines_[0].zone();
    const std::string since = since_text(axis);
    const std::string label = axis.is_instants()
                                  ? (zone.is_utc() ? "UTC" : "local time, " + zone.name())
                              : since.empty() ? timelines_[0].time_name()
                                              : since;
    out += fmt::format("set xlabel {} offset 0,-0.9 textcolor rgb \"{}\"\n", in_quotes(label),
                       text_ink);
  }

  std::span<const Timeline> timelines_;
  const Figure& look_;
  Canvas canvas_{};
  std::vector<Strip> strips_;
};

void check_missing(std::span<const Timeline> timelines, const Figure& look) {
  const bool others = !look.y2.empty() || !look.over.empty() || look.bars || look.panels ||
                      look.log || look.gaps || look.mean || !look.take.empty();
  if (others) {
    fail_usage(
        "‹missing› draws what is there and what is not; ‹y›, ‹between›, ‹last›, ‹keys› and ‹size› "
        "go with it");
  }
  for (const auto& name : look.y) {
    const bool known = std::ranges::any_of(timelines, [&](const Timeline& timeline) {
      return timeline.values().find(name).has_value();
    });
    if (!known) static_cast<void>(timelines[0].values().place(name));  // says what there is
  }
}

}  // namespace

std::vector<std::string> draw_missing(std::span<const Timeline> timelines, const Figure& look,
                                      Output& output, const std::string& path) {
  check_missing(timelines, look);
  const MissingPicture picture(timelines, look);
  draw(picture.script(), picture.caption(), look.size, output, path);
  return {};
}

}  // namespace zerobeat::detail
