#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <zerobeat/base/text.hpp>

#include "time/wide_instant.hpp"
#include "view/page/html.hpp"
#include "view/page/sections.hpp"
#include "view/picture/line.hpp"
#include "view/picture/ticks.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr int strip_width = 1000, strip_height = 26;
constexpr std::size_t most_strips = 24, most_marks = 400;

/// The span of all strands of a source, as what its strips are drawn over.
Canvas canvas_of(const PageSource& source) {
  Canvas canvas{.width = strip_width, .unit = source.timeline.axis().elapsed};
  bool any = false;
  for (const Strand& strand : source.timeline.strands()) {
    if (strand.size() == 0) continue;
    const auto times = source.timeline.times();
    canvas.first = any ? std::min(canvas.first, times[strand.begin]) : times[strand.begin];
    canvas.last = any ? std::max(canvas.last, times[strand.end - 1]) : times[strand.end - 1];
    any = true;
  }
  if (canvas.last <= canvas.first) canvas.last = canvas.first + Nanoseconds(1);
  return canvas;
}

class Strips {
 public:
  /// `room` is how many bytes marks may take, of all sources together.
  Strips(const PageSource& source, std::size_t& room)
      : source_(source), canvas_(canvas_of(source)), room_(room) {}

  std::string html() const {
    const auto strands = source_.timeline.strands();
    std::vector<std::size_t> order(strands.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    // The worst first, when not all are drawn.
    if (order.size() > most_strips) {
      std::ranges::stable_sort(order, std::greater(),
                               [&](std::size_t s) { return missing_share(s); });
    }
    std::string out;
    for (std::size_t i = 0; i < std::min(most_strips, order.size()); ++i) out += strip(order[i]);
    if (order.size() > most_strips) out += others(std::span(order).subspan(most_strips));
    return out + axis();
  }

 private:
  double x(Instant t) const {
    const double low = canvas_.x(canvas_.first), high = canvas_.x(canvas_.last);
    return strip_width * std::clamp((canvas_.x(t) - low) / (high - low), 0.0, 1.0);
  }

  double missing_share(std::size_t s) const {
    const Strand& strand = source_.timeline.strands()[s];
    if (strand.size() == 0) return 1;
    const auto times = source_.timeline.times();
    const double span = seconds_between(times[strand.begin], times[strand.end - 1]);
    double missing = 0;
    for (const TimeSpan& gap : source_.missing[s]) missing += seconds_between(gap.start, gap.stop);
    return span > 0 ? missing / span : 0;
  }

  std::string title_of(std::size_t s) const {
    const auto& key = source_.timeline.strands()[s].key;
    return key ? key_text(*key) : name_of(source_);
  }

  std::string strip(std::size_t s) const {
    const Strand& strand = source_.timeline.strands()[s];
    const auto times = source_.timeline.times();
    std::string parts;
    if (strand.size() > 0) {
      parts += box("there", times[strand.begin], times[strand.end - 1],
                   fmt::format("records from {} to {}", time_of(times[strand.begin], source_),
                               time_of(times[strand.end - 1], source_)));
    }
    for (const TimeSpan& gap : source_.missing[s]) {
      parts += box("missing", gap.start, gap.stop,
                   fmt::format("no records from {} to {}, {}", time_of(gap.start, source_),
                               time_of(gap.stop, source_),
                               length_text(seconds_between(gap.start, gap.stop))));
    }
    for (const PageMark& finding : source_.findings) {
      if (finding.strand == s) parts += flag_of(finding);
    }
    std::size_t marks = 0, more = 0;
    for (const PageMark& mark : source_.marks) {
      if (mark.strand != s) continue;
      if (++marks > most_marks || room_ == 0) {
        ++more;
        continue;
      }
      const std::string drawn = mark_of(mark);
      room_ -= std::min(room_, drawn.size());
      parts += drawn;
    }
    const double share = 100 * (1 - missing_share(s));
    const std::string told =
        fmt::format("{}: {:.1f}% of its span has records, {} at fault", title_of(s), share, marks);
    std::string out = fmt::format(
        "<div class=\"strip\"{0}><h4>{1}</h4><svg role=\"img\" viewBox=\"0 0 {2} {3}\" "
        "preserveAspectRatio=\"none\"{4}>{5}</svg><p class=\"share\">{6:.1f}%</p></div>",
        attribute("data-key", strand.key.value_or("")), escaped(title_of(s)), strip_width,
        strip_height, attribute("aria-label", told), parts, share);
    if (more > 0) out += fmt::format("<p>{} marks more</p>", more);
    return out;
  }

  std::string box(const char* kind, Instant from, Instant to, const std::string& title) const {
    const double left = x(from), right = std::max(left + 0.5, x(to));
    return fmt::format(
        "<rect class=\"{}\" x=\"{}\" y=\"4\" width=\"{}\" height=\"{}\"><title>{}</title></rect>",
        kind, pixel(left), pixel(right - left), strip_height - 8, escaped(title));
  }

  /// What is told when one points at it.
  std::string told_of(const PageMark& mark) const {
    constexpr std::size_t most_text = 200;
    std::string what = fmt::format("{}{} at line {}, byte {}, about {}", mark.reason,
                                   mark.column.empty() ? "" : " in " + mark.column, mark.line,
                                   mark.byte, time_of(mark.at, source_));
    if (!mark.text.empty()) what += ": " + shown(mark.text, most_text);
    if (!mark.remedy.empty()) what += "\n" + with_dashes(mark.remedy);
    return what;
  }

  std::string mark_of(const PageMark& mark) const {
    return fmt::format(
        "<rect class=\"mark\" tabindex=\"0\"{}{}{} x=\"{}\" y=\"0\" width=\"2.5\" height=\"{}\">"
        "<title>{}</title></rect>",
        attribute("data-line", static_cast<std::int64_t>(mark.line)),
        attribute("data-byte", static_cast<std::int64_t>(mark.byte)),
        attribute("data-reason", mark.reason), pixel(std::min(x(mark.at), strip_width - 2.5)),
        strip_height, lines_of(told_of(mark)));
  }

  /// Where a finding was first seen: a flag on the strip.
  std::string flag_of(const PageMark& finding) const {
    const double at = std::clamp(x(finding.at), 5.0, strip_width - 5.0);
    return fmt::format(
        "<path class=\"flag weight{}\" tabindex=\"0\"{}{}{} d=\"M{} 0h10l-5 10z\"><title>{}</title>"
        "</path>",
        weight_of(finding.reason), attribute("data-kind", finding.reason),
        attribute("data-line", static_cast<std::int64_t>(finding.line)),
        attribute("data-byte", static_cast<std::int64_t>(finding.byte)), pixel(at - 5),
        lines_of(told_of(finding)));
  }

  /// Escaped, its lines as lines.
  static std::string lines_of(const std::string& text) {
    const std::size_t end = text.find('\n');
    if (end == std::string::npos) return escaped(text);
    return escaped(text.substr(0, end)) + "\n" + escaped(text.substr(end + 1));
  }

  /// What is not drawn, in a table.
  std::string others(std::span<const std::size_t> order) const {
    constexpr std::size_t most_rows = 500;
    std::string rows;
    for (const std::size_t s : order.first(std::min(most_rows, order.size()))) {
      rows += fmt::format(
          "<tr{}><th scope=\"row\">{}</th><td class=\"number\">{}</td><td class=\"number\">{:.1f}%"
          "</td></tr>",
          attribute("data-key", source_.timeline.strands()[s].key.value_or("")),
          escaped(title_of(s)),
          grouped(static_cast<std::int64_t>(source_.timeline.strands()[s].size())),
          100 * (1 - missing_share(s)));
    }
    std::string out = fmt::format(
        "<details><summary>{} strands more, of which less is missing</summary><table><thead><tr>"
        "<th scope=\"col\">strand</th><th scope=\"col\" class=\"number\">records</th><th "
        "scope=\"col\" class=\"number\">there</th></tr></thead><tbody>{}</tbody></table>",
        order.size(), rows);
    if (order.size() > most_rows) out += fmt::format("<p>{} more</p>", order.size() - most_rows);
    return out + "</details>";
  }

  /// Times under the strips, as texts at shares of their width.
  std::string axis() const {
    const DrawnAxis drawn = time_axis(canvas_, source_.timeline.zone(), source_.timeline.axis(),
                                      source_.timeline.time_name());
    std::string ticks;
    for (const AxisTick& tick : ticks_of(drawn, 6)) {
      const double share = 100 * (tick.at - drawn.low) / (drawn.high - drawn.low);
      if (share < 0 || share > 100) continue;
      std::string text = escaped(tick.text);
      for (const auto* below : {&tick.below, &tick.below_that}) {
        if (!below->empty()) text += "<br>" + escaped(*below);
      }
      ticks += fmt::format("<span style=\"left:{:.2f}%\">{}</span>", share, text);
    }
    return fmt::format(
        "<div class=\"strip axis\" aria-hidden=\"true\"><h4></h4><div "
        "class=\"ticks\">{}</div><p class=\"share\">{}</p></div>",
        ticks, escaped(drawn.name));
  }

  const PageSource& source_;
  Canvas canvas_;
  std::size_t& room_;
};

}  // namespace

std::string when_section(const PageContent& content) {
  std::string out =
      "<section id=\"when\" aria-labelledby=\"when-title\"><h2 id=\"when-title\">When?</h2><p "
      "class=\"legend\"><span class=\"key there\"></span> records <span class=\"key "
      "missing\"></span> none <span class=\"key mark\"></span> at fault <span "
      "class=\"flag-key\">▾</span> a finding, first seen</p>";
  constexpr std::size_t room = 900'000;
  std::size_t room_of_marks = 400'000;
  const auto told = [&](const PageSource& source) {
    return fmt::format("<article{}><h3>{}</h3>{}</article>",
                       attribute("data-source", name_of(source)), escaped(name_of(source)),
                       source.timeline.rows() == 0 ? std::string("<p>There are no records.</p>")
                                                   : Strips(source, room_of_marks).html());
  };
  return out + of_sources(content, room, told) + "</section>";
}

}  // namespace zerobeat::detail
