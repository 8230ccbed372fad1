#include "view/picture/profile.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "kernel/sums.hpp"
#include "view/gnuplot.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t most_profile_panels = 24;

/// The words that a part's column has, in the order of its rows.
std::vector<std::string> words_of(const Column& column) {
  std::vector<std::string> words;
  for (std::size_t i = 0; i < column.size(); ++i) {
    std::string word = column.type() == Column::Type::text ? column.text(i)
                       : column.type() == Column::Type::integer
                           ? fmt::format("{}", column.integers()[i])
                           : fmt::format("{}", column.numbers()[i]);
    if (std::ranges::find(words, word) == words.end()) words.push_back(std::move(word));
  }
  return words;
}

/// One strand's rows of one take.
struct ProfilePanel {
  std::string title;
  std::size_t begin = 0, end = 0;
  Column column;
  std::string take;
};

std::vector<ProfilePanel> panels_of(const ProfileTable& profile) {
  std::vector<ProfilePanel> panels;
  const Table& table = profile.table;
  std::vector<std::size_t> edges{0};
  if (!profile.key_name.empty()) {
    const Column& keys = table.column(profile.key_name);
    for (std::size_t i = 1; i < keys.size(); ++i) {
      if (keys.codes()[i] != keys.codes()[i - 1]) edges.push_back(i);
    }
  }
  edges.push_back(table.rows());
  for (std::size_t e = 0; e + 1 < edges.size(); ++e) {
    for (const auto& name : profile.takes) {
      const Column& column = table.column(name);
      if (!column.is_numeric()) fail_usage("\"{}\" holds no numbers to draw", name);
      std::string title = name;
      if (!profile.key_name.empty())
        title = table.column(profile.key_name).text(edges[e]) + ": " + name;
      panels.push_back({title, edges[e], edges[e + 1], column.as_numbers(), name});
    }
  }
  if (panels.size() > most_profile_panels) {
    fail_usage("{} panels, one for each key and take, are more than fit, which is {}",
               panels.size(), most_profile_panels);
  }
  return panels;
}

/// What there is of a take, of all strands: their panels have one scale.
struct Scale {
  double least = 0, most = 0;
};

Scale scale_of(const std::vector<ProfilePanel>& panels, const std::string& take) {
  Scale scale;
  bool any = false;
  for (const ProfilePanel& panel : panels) {
    if (panel.take != take) continue;
    for (std::size_t i = panel.begin; i < panel.end; ++i) {
      const double value = panel.column.numbers()[i];
      if (!panel.column.valid(i) || !std::isfinite(value)) continue;
      scale.least = any ? std::min(scale.least, value) : value;
      scale.most = any ? std::max(scale.most, value) : value;
      any = true;
    }
  }
  if (scale.least == scale.most) scale.most += 1;
  return scale;
}

/// Labels of an axis, as many as are readable side by side.
std::string ticks(const std::vector<std::string>& words, std::size_t most) {
  const std::size_t step = std::max<std::size_t>(1, (words.size() + most - 1) / most);
  std::string out;
  for (std::size_t i = 0; i < words.size(); i += step) {
    out += fmt::format("{}{} {}", out.empty() ? "" : ", ", in_quotes(words[i]), i);
  }
  return "(" + out + ")";
}

std::string bars_script(const std::vector<ProfilePanel>& panels,
                        const std::vector<std::string>& words, const std::string& part,
                        const Figure& look) {
  const Size& size = look.size;
  std::string out;
  const std::size_t across = panels.size() > 3 ? 2 : 1;
  for (std::size_t p = 0; p < panels.size(); ++p) {
    const ProfilePanel& panel = panels[p];
    out += fmt::format("$panel{} << END_OF_DATA\n", p);
    for (std::size_t i = panel.begin; i < panel.end; ++i) {
      if (!panel.column.valid(i) || !std::isfinite(panel.column.numbers()[i])) continue;
      fmt::format_to(std::back_inserter(out), "{} {}\n", i - panel.begin,
                     panel.column.numbers()[i]);
    }
    out += "END_OF_DATA\n";
    // Bars stand on zero, or hang from it.
    const Scale scale = scale_of(panels, panel.take);
    const double low = std::min(0.0, scale.least), high = std::max(0.0, scale.most);
    const double room = 0.04 * (high - low);
    out += plain_frame() + "unset key\nset boxwidth 0.8\n";
    out += fmt::format("set yrange [{}:{}]\n", low < 0 ? low - room : low,
                       high > 0 ? high + room : high);
    if (low < 0) out += "set xzeroaxis linetype 1 linecolor rgb \"#5a6670\"\n";
    out +=
        fmt::format("set xrange [-0.6:{}]\nset xtics {}\n", static_cast<double>(words.size()) - 0.4,
                    ticks(words, static_cast<std::size_t>(size.width) / across / 36));
    out += fmt::format("set xlabel {} textcolor rgb \"{}\"\n", in_quotes(part), text_ink);
    out += fmt::format("set ylabel {} textcolor rgb \"{}\"\n", in_quotes(panel.take), text_ink);
    out += fmt::format("set title {} textcolor rgb \"{}\"\n", in_quotes(panel.title), text_ink);
    out += "unset arrow\n";
    if (look.mean) {
      std::vector<double> values;
      for (std::size_t i = panel.begin; i < panel.end; ++i) {
        const double value = panel.column.numbers()[i];
        if (panel.column.valid(i) && std::isfinite(value)) values.push_back(value);
      }
      if (!values.empty()) {
        out += fmt::format(
            "set arrow from graph 0, first {0} to graph 1, first {0} nohead front dashtype 2 "
            "linewidth 1.4 linecolor rgb \"{1}\"\n",
            sum_of(values).mean(values.size()), text_ink);
      }
    }
    out += fmt::format(
        "plot $panel{} using 1:2 with boxes fillstyle solid 0.85 noborder linecolor rgb \"{}\"\n",
        p, ink(0));
  }
  return out;
}

std::string heat_script(const std::vector<ProfilePanel>& panels,
                        const std::vector<std::string>& down, const std::vector<std::string>& along,
                        const ProfileTable& profile, const Size& size) {
  std::string out =
      "set palette defined (0 \"#f2efe6\", 1 \"#b9d6d3\", 2 \"#5fa3ad\", 3 \"#12678a\", 4 "
      "\"#0b2f4a\")\n";
  const std::size_t across = panels.size() > 3 ? 2 : 1;
  for (std::size_t p = 0; p < panels.size(); ++p) {
    const ProfilePanel& panel = panels[p];
    out += fmt::format("$panel{} << END_OF_DATA\n", p);
    for (std::size_t i = panel.begin; i < panel.end; ++i) {
      const std::size_t at = i - panel.begin;
      const bool there = panel.column.valid(i) && std::isfinite(panel.column.numbers()[i]);
      fmt::format_to(std::back_inserter(out), "{} {} {}\n", at % along.size(), at / along.size(),
                     there ? fmt::format("{}", panel.column.numbers()[i]) : std::string("NaN"));
    }
    out += "END_OF_DATA\n" + plain_frame() + "unset grid\nunset key\nset border 0\n";
    out += fmt::format("set xrange [-0.5:{}]\nset yrange [{}:-0.5]\n",
                       static_cast<double>(along.size()) - 0.5,
                       static_cast<double>(down.size()) - 0.5);
    out += fmt::format("set xtics {}\nset ytics {}\n",
                       ticks(along, static_cast<std::size_t>(size.width) / across / 36),
                       ticks(down, static_cast<std::size_t>(size.height) / 24));
    out +=
        fmt::format("set xlabel {} textcolor rgb \"{}\"\nset ylabel {} textcolor rgb \"{}\"\n",
                    in_quotes(profile.parts[1]), text_ink, in_quotes(profile.parts[0]), text_ink);
    out += fmt::format("set title {} textcolor rgb \"{}\"\nset cblabel {} textcolor rgb \"{}\"\n",
                       in_quotes(panel.title), text_ink, in_quotes(panel.take), text_ink);
    const Scale scale = scale_of(panels, panel.take);
    out += fmt::format("set cbrange [{}:{}]\nplot $panel{} using 1:2:3 with image pixels\n",
                       scale.least, scale.most, p);
  }
  return out;
}

}  // namespace

std::string profile_script(const ProfileTable& profile, const Zone& zone, const Figure& look) {
  const Size& size = look.size;
  if (look.mean && profile.parts.size() > 1) {
    fail_usage("‹mean› goes with bars; a heat map has no line");
  }
  if (profile.parts.size() > 2) {
    fail_usage("a picture goes by one part, or by two crossed, not by {}", profile.parts.size());
  }
  const auto panels = panels_of(profile);
  if (std::ranges::none_of(panels, [](const ProfilePanel& panel) {
        return panel.column.validity().missing() < panel.column.size();
      })) {
    fail_usage("there is nothing to draw: every reading is missing");
  }
  const auto first = words_of(profile.table.column(profile.parts[0]));
  const std::string when = zone.is_utc() ? " (UTC)" : " (local time, " + zone.name() + ")";
  std::string body;
  if (profile.parts.size() == 1) {
    body = bars_script(panels, first, profile.parts[0] + when, look);
  } else {
    ProfileTable named = profile;
    named.parts[1] += when;
    body =
        heat_script(panels, first, words_of(profile.table.column(profile.parts[1])), named, size);
  }
  if (panels.size() == 1) return body;
  // Blocks of data can't be made within a multiplot; they come first.
  std::string data, commands;
  std::size_t at = 0;
  while (at < body.size()) {
    const std::size_t end = body.find('\n', at) + 1;
    if (body[at] == '$') {
      const std::size_t close = body.find("END_OF_DATA\n", end) + 12;
      data += body.substr(at, close - at);
      at = close;
    } else {
      commands += body.substr(at, end - at);
      at = end;
    }
  }
  return data + layout_of(panels.size()) + commands + "unset multiplot\n";
}

}  // namespace zerobeat::detail
