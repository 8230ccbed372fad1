#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <zerobeat/base/text.hpp>
#include <zerobeat/view/plot.hpp>

#include "view/gnuplot.hpp"
#include "view/picture/describe.hpp"
#include "view/picture/lines.hpp"
#include "view/picture/missing.hpp"
#include "view/picture/profile.hpp"
#include "view/picture/trial.hpp"
#include "view/picture/tune.hpp"

namespace zerobeat::inline v1 {

namespace {

/// Only what the figure chooses; keys of those that have any.
std::vector<Timeline> chosen(std::span<const Timeline> timelines, const Figure& look, bool several,
                             std::vector<std::string>& notes) {
  std::vector<Timeline> out;
  const bool any_key = std::ranges::any_of(timelines, &Timeline::has_key);
  for (const Timeline& timeline : timelines) {
    Select options{.between = look.between, .last = look.last};
    if (timeline.has_key() || !any_key) options.keys = look.keys;
    if (options == Select{}) {
      out.push_back(timeline);
      continue;
    }
    out.push_back(select(timeline, options));
    for (const auto& note : out.back().account().last().notes) {
      notes.push_back(several ? timeline.name() + ": " + note : note);
    }
  }
  return out;
}

/// The profile of the first timeline, and what is said of it.
std::vector<std::string> plot_profile(std::span<const Timeline> timelines, const Timeline* over,
                                      const Figure& look, Output& output, const std::string& path) {
  const bool others = !look.y.empty() || !look.y2.empty() || look.bars || look.panels || look.log ||
                      look.gaps || over != nullptr || timelines.size() > 1;
  if (others) {
    fail_usage("‹by› {} draws the profile of one file; only ‹take›, ‹mean› and ‹size› go with it",
               to_text(look.by));
  }
  Profile options{.by = look.by, .take = look.take};
  if (options.take.empty()) {
    const auto names = timelines[0].values().numeric_names();
    if (names.empty()) fail_usage("there is nothing to draw: no numeric column");
    options.take = {take::mean(names[0])};
  }
  const ProfileTable made = profile(timelines[0], options);
  const detail::Caption caption{
      fmt::format("{} by {}", to_text(options.take), to_text(look.by)),
      fmt::format("A profile of {}: {} rows", timelines[0].name(), made.table.rows())};
  detail::draw(detail::profile_script(made, timelines[0].zone(), look), caption, look.size, output,
               path);
  return made.account.last().notes;
}

void check(const Figure& look) {
  if (!look.take.empty() && look.by.empty()) {
    fail_usage("‹take› goes with ‹by›: it says what the profile is of");
  }
  if (look.log && look.y_range && look.y_range->low <= 0 && !std::isinf(look.y_range->low)) {
    fail_usage("‹y_range› {}: a logarithmic axis begins above zero", to_text(*look.y_range));
  }
  const bool lines = look.by.empty() && look.describe.empty() && look.tune.on.empty() &&
                     look.trial.trial.empty() && !look.missing;
  if (!lines && (!look.spells.empty() || look.y_range || look.marks || look.band)) {
    fail_usage("‹spells›, ‹y_range›, ‹marks› and ‹band› go with lines over time");
  }
  if (!look.by.empty() + !look.describe.empty() + !look.tune.on.empty() +
          !look.trial.trial.empty() + look.missing >
      1) {
    fail_usage(
        "‹by›, ‹describe›, ‹tune›, ‹try› and ‹missing› are pictures of their own; draw one after "
        "the other");
  }
  if (look.trial.trial.empty() && look.trial != Fill{}) {
    fail_usage("‹hide› and ‹seed› go with ‹try› HOW,HOW");
  }
  const Tune none{.on = look.tune.on};
  if (look.tune.on.empty() && look.tune != none) {
    fail_usage("‹with›, ‹against›, ‹within› and ‹drift› go with ‹tune› COLUMN");
  }
}

}  // namespace

void check_figure_path(const std::string& path) { detail::is_svg(path); }

std::vector<std::string> plot(std::span<const Timeline> all, const Timeline* all_over,
                              const Figure& look, Output& output, const std::string& path) {
  if (all.empty()) fail_usage("there is nothing to draw: name a file");
  check(look);
  std::vector<std::string> notes;
  const bool several = all.size() > 1 || all_over != nullptr;
  const auto timelines = chosen(all, look, several, notes);
  std::vector<Timeline> over;
  if (all_over != nullptr) over = chosen({all_over, 1}, look, several, notes);
  const auto add = [&](std::vector<std::string> more) {
    notes.insert(notes.end(), more.begin(), more.end());
  };
  if (!look.by.empty()) {
    add(plot_profile(timelines, all_over, look, output, path));
  } else if (!look.describe.empty()) {
    add(detail::draw_description(timelines, look, output, path));
  } else if (!look.tune.on.empty()) {
    add(detail::draw_tuning(timelines, look, output, path));
  } else if (!look.trial.trial.empty()) {
    add(detail::draw_trial(timelines, look, output, path));
  } else if (look.missing) {
    add(detail::draw_missing(timelines, look, output, path));
  } else {
    const auto made = detail::lines_picture(timelines, over.empty() ? nullptr : &over[0], look);
    detail::draw(made.script, made.caption, look.size, output, path);
    add(made.notes);
  }
  return notes;
}

std::vector<std::string> plot(std::span<const Timeline> timelines, const Figure& look,
                              const std::string& path) {
  check_figure_path(path);
  Output output(path);
  auto notes = plot(timelines, nullptr, look, output, path);
  output.commit();
  return notes;
}

std::vector<std::string> plot(const Timeline& timeline, const Figure& look,
                              const std::string& path) {
  return plot(std::span<const Timeline>(&timeline, 1), look, path);
}

}  // namespace zerobeat
