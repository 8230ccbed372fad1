#include "io/text/time_column.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <zerobeat/base/text.hpp>
#include <zerobeat/table/timeline.hpp>

#include "base/trim.hpp"
#include "io/judge/asked_columns.hpp"
#include "io/judge/time_cells.hpp"
#include "io/source/listed.hpp"
#include "io/text/named_columns.hpp"

namespace zerobeat::inline v1::detail {

namespace {

std::size_t count_reading(const TimeFormat& format, const std::vector<std::string>& samples) {
  TimestampReader reader({.format = format, .zone = {}, .repeated = Repeated::earlier});
  return static_cast<std::size_t>(std::ranges::count_if(samples, [&](const std::string& sample) {
    return reader.read(sample).verdict == TimeVerdict::ok;
  }));
}

/// Numbers that could be anything are times only when most are large enough to be epochs.
bool plausible_epochs(const TimeFormat& format, const std::vector<std::string>& samples) {
  TimestampReader reader({.format = format});
  for (const auto& sample : samples) reader.read(sample);
  std::int64_t large = 0;
  for (const auto& magnitude : reader.counts().magnitudes) large += magnitude.count;
  return static_cast<std::size_t>(large) * 2 >= samples.size();
}

bool only_years(const std::vector<std::string>& samples) {
  return std::ranges::all_of(samples, [](const std::string& s) { return trim(s).size() == 4; });
}

/// Clocks alone: 10:30, 10:30:00.5.
bool is_clock(const std::string& sample) {
  const std::string_view text = trim(sample);
  const std::size_t colon = text.find(':');
  return (colon == 1 || colon == 2) && text.size() >= colon + 3 &&
         text.find_first_not_of("0123456789:.,") == std::string_view::npos;
}

/// Of a source without a column of times: a column of clocks, and what to do about it.
std::string clock_hint(const Samples& samples, const std::vector<std::string>& names,
                       const MissingWords& missing_words) {
  for (std::size_t cell = 0; cell < names.size(); ++cell) {
    const auto texts = column_samples(samples, cell, missing_words);
    if (texts.empty() || !std::ranges::all_of(texts, is_clock)) continue;
    return fmt::format(
        "\"{}\" holds clocks without a date, like {}: name the column of the days with it (‹time› "
        "DAY+{}), or put the date before each, or number the records with zerobeat stamp. ",
        names[cell], texts[0], names[cell]);
  }
  return "";
}

/// What to do when the header's cells are dates: a column a day.
std::string dated_header_hint(const std::vector<std::string>& names) {
  std::vector<std::string> dates;
  for (const auto& name : names) {
    const auto format = find_time_format(std::vector<std::string>{name});
    if (format && format->kind != TimeFormat::Kind::elapsed && !is_epoch(format->kind) &&
        count_reading(*format, {name}) == 1) {
      dates.push_back(name);
    }
  }
  if (dates.size() < 2 || dates.size() * 2 < names.size()) return "";
  return fmt::format(
      "{} of the header's {} cells are dates, from {} to {}: a column for each; zerobeat reshape "
      "‹into› long makes a row of each. ",
      dates.size(), names.size(), dates.front(), dates.back());
}

/// What to do when the first column counts 1, 2, 3 …
std::string counting_hint(const Samples& samples, const std::vector<std::string>& names,
                          const MissingWords& missing_words) {
  const auto texts = column_samples(samples, 0, missing_words);
  std::int64_t last = 0;
  std::size_t steps = 0;
  for (std::size_t i = 0; i < std::min<std::size_t>(texts.size(), 50); ++i) {
    const NumberReading reading = read_number(texts[i], '.');
    if (reading.kind != NumberReading::Kind::integer || reading.integer < 0) return "";
    if (i > 0 && reading.integer != last + 1) return "";
    steps += i > 0;
    last = reading.integer;
  }
  if (steps < 2) return "";
  return fmt::format(
      "\"{}\" counts {}, {}, {} …: steps, not times, are read with ‹time› {} ‹time_format› "
      "elapsed-count. ",
      shown(names[0]), texts[0], texts[1], texts[2], shown(names[0]));
}

/// The first column that reads as times: what has a type of times, dates or large epochs, else
/// years.
std::size_t find_time_column(const OpenSource& source, const FoundLayout& found,
                             const Samples& samples, const ReadOptions& options,
                             const MissingWords& missing_words) {
  const auto& names = found.names;
  for (const Part& part : source.parts) {
    if (!part.rows) continue;
    for (const RowColumn& column : part.rows->columns) {
      const bool time = column.type == RowType::instant || column.type == RowType::local;
      const auto at = std::ranges::find(names, column.name);
      if (time && at != names.end()) return static_cast<std::size_t>(at - names.begin());
    }
  }
  if (samples.empty()) return 0;
  const auto keys =
      options.key.empty() ? std::vector<std::string>() : names_joined(options.key, names);
  const auto is_key = [&](std::size_t cell) { return keys.size() == 1 && names[cell] == keys[0]; };
  for (const bool years : {false, true}) {
    for (std::size_t cell = 0; cell < names.size(); ++cell) {
      if (is_key(cell)) continue;
      const auto texts = column_samples(samples, cell, missing_words);
      if (texts.empty()) continue;
      TimeFormat format = options.time_format;
      if (format.kind == TimeFormat::Kind::automatic) {
        const auto format_found = find_time_format(texts);
        if (!format_found) continue;
        format = *format_found;
        if (is_epoch(format.kind) && !plausible_epochs(format, texts)) continue;
        if (only_years(texts) != years) continue;
      }
      if (count_reading(format, texts) * 2 >= texts.size()) return cell;
    }
  }
  const bool comment = !names.empty() && names[0].starts_with('#');
  const bool one_wide =
      names.size() == 1 && !samples.empty() && samples[0][0].find("  ") != std::string::npos;
  fail_input(
      "{}: no column reads as times; there is {}. {}{}{}{}{}Name one with ‹time›, and its format "
      "with "
      "‹time_format›; records without times get them from zerobeat stamp; lines before the header "
      "are passed over with ‹skip_lines›",
      source.name, listed_in_line(names), clock_hint(samples, names, missing_words),
      dated_header_hint(names), counting_hint(samples, names, missing_words),
      comment ? "Lines that begin with # are passed over with ‹comment› '#'. " : "",
      one_wide ? "Cells with spaces between are told apart by ‹delimiter› space. " : "");
}

}  // namespace

void find_time(const OpenSource& source, FoundLayout& found, const ReadOptions& options,
               const MissingWords& missing_words, const Samples& samples) {
  Layout& layout = found.layout;
  if (options.time.empty()) {
    layout.time_cells = {find_time_column(source, found, samples, options, missing_words)};
    found.time_name = found.names[layout.time_cells[0]];
  } else {
    layout.time_cells = places_named(options.time, "time", source.name, found.names);
    for (const std::size_t cell : layout.time_cells) {
      found.time_name += (found.time_name.empty() ? "" : "+") + found.names[cell];
    }
  }
  if (layout.time_cells.size() > 1) {
    std::vector<std::string> names;
    std::vector<std::vector<std::string>> texts;
    for (const std::size_t cell : layout.time_cells) {
      names.push_back(found.names[cell]);
      texts.push_back(column_samples(samples, cell, missing_words));
    }
    const bool told = options.time_format.kind != TimeFormat::Kind::automatic;
    layout.time_join = told ? plain_join(names.size()) : find_time_join(names, texts);
    order_time_cells(layout);
  }

  found.time_samples = time_samples(samples, layout, missing_words);
  layout.times.format = options.time_format;
  if (options.time_format.kind == TimeFormat::Kind::automatic) {
    found.format_found = true;
    layout.times.format =
        find_time_format(found.time_samples).value_or(format_of(TimeFormat::Kind::iso));
  }
  if (options.time.empty() == false && layout.time_cells.size() == 1 && found.format_found &&
      !found.time_samples.empty() && std::ranges::all_of(found.time_samples, is_clock)) {
    fail_input("{}: {}", source.name, clock_hint(samples, found.names, missing_words));
  }
  TimeFormat& format = layout.times.format;
  if (format.kind == TimeFormat::Kind::dated && options.date_order) {
    TimeFormat told = format;
    told.order = *options.date_order;
    if (count_reading(told, found.time_samples) * 2 >= found.time_samples.size()) format = told;
  }
}

}  // namespace zerobeat::detail
