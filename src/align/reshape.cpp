#include <fmt/format.h>

#include <algorithm>
#include <unordered_map>
#include <utility>
#include <zerobeat/align/reshape.hpp>
#include <zerobeat/base/text.hpp>
#include <zerobeat/table/step_timer.hpp>

namespace zerobeat::inline v1 {

namespace {

constexpr std::int64_t none = -1;

/// The rows of the wide table: an instant, and which of a strand's rows of that instant it takes.
struct WideRows {
  std::vector<Instant> times;
  std::vector<std::vector<std::int64_t>> row_of_strand;  // of each strand, by wide row
};

/// Merges the strands: of each instant as many rows as the strand with the most has.
WideRows wide_rows(const Timeline& timeline) {
  const auto times = timeline.times();
  const auto strands = timeline.strands();
  // A row is an instant and how many of its strand were of that instant before; each once.
  std::vector<std::pair<Instant, std::size_t>> all;
  all.reserve(times.size());
  for (const Strand& strand : strands) {
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      const bool again = i > strand.begin && times[i] == times[i - 1];
      all.emplace_back(times[i], again ? all.back().second + 1 : 0);
    }
  }
  std::ranges::sort(all);
  all.erase(std::unique(all.begin(), all.end()), all.end());
  WideRows out;
  for (const auto& [time, nth] : all) out.times.push_back(time);
  out.row_of_strand.assign(strands.size(), std::vector<std::int64_t>(all.size(), none));
  for (std::size_t s = 0; s < strands.size(); ++s) {
    std::size_t row = strands[s].begin;
    for (std::size_t i = 0; i < all.size() && row < strands[s].end; ++i) {
      if (times[row] == out.times[i]) out.row_of_strand[s][i] = static_cast<std::int64_t>(row++);
    }
  }
  return out;
}

Timeline::Parts into_wide(const Timeline& timeline, const Reshape& options) {
  if (!timeline.has_key()) {
    fail_usage("reshape ‹into› wide: there is no key to make columns of; name one: ‹key›");
  }
  const auto names =
      options.on.empty() ? timeline.values().names() : timeline.values().chosen(options.on, false);
  const WideRows rows = wide_rows(timeline);
  Timeline::Parts parts = timeline.parts();
  parts.key_name.clear();
  parts.times = Column::times(Buffer<Instant>(std::span<const Instant>(rows.times)));
  parts.strands = {{std::nullopt, 0, rows.times.size()}};
  parts.values = Table(rows.times.size());
  for (const auto& name : names) {
    for (std::size_t s = 0; s < timeline.strands().size(); ++s) {
      const std::string key = key_text(timeline.strands()[s].key.value_or(""));
      const std::string column = names.size() == 1 ? key : name + "_" + key;
      if (column == parts.time_name || parts.values.find(column)) {
        fail_usage(
            "‹into› wide: two columns would be named \"{}\"; {}", shown(column),
            names.size() == 1 ? "rename the key or the time" : "rename one, or name fewer: ‹on›");
      }
      parts.values.add(column, timeline.values().column(name).gather(rows.row_of_strand[s]));
    }
  }
  return parts;
}

/// No two of the columns of a long table have one name.
void check_names(const std::string& time_name, const std::string& key_name,
                 const std::string& value_name) {
  const auto refuse = [](const std::string& name, const char* what, const char* option) {
    fail_usage("two columns would be named \"{}\": the readings and the {}; give another {}",
               shown(name), what, option);
  };
  if (value_name == time_name) refuse(value_name, "time", "‹value_name›");
  if (value_name == key_name) refuse(value_name, "key", "‹value_name› or ‹key_name›");
  if (key_name == time_name) {
    fail_usage("two columns would be named \"{}\": the key and the time; give another ‹key_name›",
               shown(key_name));
  }
}

Timeline::Parts into_long(const Timeline& timeline, const Reshape& options) {
  const auto names = options.on.empty() ? timeline.values().numeric_names()
                                        : timeline.values().chosen(options.on, false);
  if (names.empty()) fail_usage("reshape ‹into› long: there is no numeric column; name some: ‹on›");
  std::vector<Column> columns;
  for (const auto& name : names) {
    const Column& column = timeline.values().column(name);
    const bool alike = columns.empty() || column.type() == columns[0].type() ||
                       (column.is_numeric() && columns[0].is_numeric());
    if (!alike) {
      fail_usage(
          "reshape ‹into› long: \"{}\" and \"{}\" can't be one column: one holds {}, the "
          "other {}",
          names[0], name, to_text(columns[0].type()), to_text(column.type()));
    }
    columns.push_back(column);
  }
  check_names(timeline.time_name(), options.key_name, options.value_name);
  // Strand by strand, and of each the columns in order.
  Timeline::Parts parts = timeline.parts();
  parts.key_name = options.key_name;
  parts.strands.clear();
  std::vector<std::int64_t> rows, order;
  for (const Strand& strand : timeline.strands()) {
    for (std::size_t c = 0; c < names.size(); ++c) {
      const std::size_t begin = rows.size();
      for (std::size_t i = strand.begin; i < strand.end; ++i) {
        rows.push_back(static_cast<std::int64_t>(i));
        order.push_back(static_cast<std::int64_t>(c * timeline.rows() + i));
      }
      parts.strands.push_back(
          {strand.key ? key_text(*strand.key) + " " + names[c] : names[c], begin, rows.size()});
    }
  }
  parts.times = timeline.time_column().gather(rows);
  parts.values = Table(rows.size());
  parts.values.add(options.value_name, concatenate(columns).gather(order));
  return parts;
}

/// A column whose name is a time.
struct DateColumn {
  Instant time{};
  std::size_t place = 0;
};

/// Those of the columns whose names read as times, in order of time, and what is wrong with others.
struct DateColumns {
  std::vector<DateColumn> dates;
  std::vector<std::size_t> impossible;  ///< written like times, but on no calendar
  bool ambiguous = false;               ///< day and month can't be told apart
};

DateColumns date_columns(const std::vector<std::string>& names, TimestampOptions reading,
                         std::optional<DateOrder> date_order) {
  if (reading.format.kind == TimeFormat::Kind::automatic) {
    const auto found = find_time_format(names);
    if (!found) return {};
    reading.format = *found;
  }
  if (date_order && reading.format.kind == TimeFormat::Kind::dated) {
    reading.format.order = *date_order;
  }
  DateColumns out;
  const auto read_all = [&] {
    out = {};
    TimestampReader reader(reading);
    for (std::size_t c = 0; c < names.size(); ++c) {
      const TimeReading read = reader.read(names[c]);
      if (read.verdict == TimeVerdict::ok) out.dates.push_back({read.instant, c});
      if (read.verdict == TimeVerdict::impossible) out.impossible.push_back(c);
    }
    return reader.counts();
  };
  const auto counts = read_all();
  if (reading.format.kind == TimeFormat::Kind::dated && !date_order) {
    const auto decision = decide_date_order(counts, reading.format.order);
    out.ambiguous = decision.ambiguous;
    if (!decision.ambiguous && decision.order != reading.format.order) {
      reading.format.order = decision.order;
      read_all();
    }
  }
  std::ranges::stable_sort(out.dates, {}, &DateColumn::time);
  return out;
}

}  // namespace

Timeline reshape(const Timeline& timeline, const Reshape& options) {
  StepTimer timer(options, timeline);
  return timer.finish(options.into == Reshape::Into::wide ? into_wide(timeline, options)
                                                          : into_long(timeline, options));
}

Reach reach(const Reshape&) { return {}; }

bool has_times_for_columns(const std::vector<std::string>& names, const TimestampOptions& reading,
                           std::optional<DateOrder> date_order) {
  // One that can't be is meant as one: it is told of, not read as something else.
  const auto found = date_columns(names, reading, date_order);
  const std::size_t meant = found.dates.size() + found.impossible.size();
  return !found.dates.empty() && 2 * meant >= names.size();
}

Timeline columns_as_times(const Records& records, const Reshape& options,
                          const TimestampOptions& reading, std::optional<DateOrder> date_order) {
  if (!records.untimed) fail_usage("reshape: these records have times of their own");
  StepTimer timer(options, static_cast<std::int64_t>(records.size()));
  const auto& names = records.values.names();
  const auto found = date_columns(names, reading, date_order);
  const auto& dates = found.dates;
  if (found.ambiguous) {
    fail_input(
        "{}: which of \"{}\" is the day and which the month can't be told; say it: "
        "‹date_order› dmy or mdy",
        records.name, shown(dates.empty() ? "" : names[dates[0].place]));
  }
  if (!found.impossible.empty() && !dates.empty()) {
    fail_input("{}: the column \"{}\" is written like a time and can't be one; mend its name",
               records.name, shown(names[found.impossible[0]]));
  }
  if (dates.empty()) {
    throw Error(Error::Kind::input, fmt::format("{}: no column's name is a time; they are {}",
                                                records.name, fmt::join(names, ", ")));
  }
  for (std::size_t i = 1; i < dates.size(); ++i) {
    if (dates[i].time != dates[i - 1].time) continue;
    throw Error(Error::Kind::input,
                fmt::format("{}: the columns \"{}\" and \"{}\" are of one time", records.name,
                            names[dates[i - 1].place], names[dates[i].place]));
  }
  std::vector<std::size_t> others;
  for (std::size_t c = 0; c < names.size(); ++c) {
    if (std::ranges::find(dates, c, &DateColumn::place) == dates.end()) others.push_back(c);
  }
  // The key: the one that was asked for, else the first column of texts that is no time.
  std::optional<Column> keys = records.keys;
  std::string key_name = records.key_name;
  for (std::size_t k = 0; !keys && k < others.size(); ++k) {
    const Column& column = records.values.columns()[others[k]];
    if (column.type() != Column::Type::text) continue;
    keys = column;
    key_name = names[others[k]];
    others.erase(others.begin() + static_cast<std::ptrdiff_t>(k));
  }
  // The rows of each key, in order of first appearance.
  std::vector<std::vector<std::size_t>> rows_of_key;
  std::vector<std::optional<std::string>> key_texts;
  std::unordered_map<std::string, std::size_t> place_of_key;
  for (std::size_t i = 0; i < records.size(); ++i) {
    const std::string key = keys && keys->valid(i) ? keys->text(i) : std::string();
    const auto [at, added] = place_of_key.emplace(key, rows_of_key.size());
    if (added) {
      rows_of_key.emplace_back();
      key_texts.push_back(keys ? std::optional(key) : std::nullopt);
    }
    rows_of_key[at->second].push_back(i);
  }

  Timeline::Parts parts;
  parts.name = records.name;
  parts.time_name = "time";
  parts.key_name = keys ? key_name : std::string();
  parts.zone = reading.zone;
  parts.account = records.account();
  Buffer<Instant> times;
  std::vector<std::int64_t> rows, cells;
  for (std::size_t k = 0; k < rows_of_key.size(); ++k) {
    const std::size_t begin = rows.size();
    for (std::size_t d = 0; d < dates.size(); ++d) {
      for (const std::size_t row : rows_of_key[k]) {
        times.push_back(dates[d].time);
        rows.push_back(static_cast<std::int64_t>(row));
        cells.push_back(static_cast<std::int64_t>(d * records.size() + row));
      }
    }
    parts.strands.push_back({key_texts[k], begin, rows.size()});
  }
  parts.times = Column::times(std::move(times));
  check_names(parts.time_name, parts.key_name, options.value_name);
  parts.values = Table(rows.size());
  for (const std::size_t c : others) {
    const bool taken = names[c] == parts.time_name || names[c] == options.value_name;
    if (taken) {
      fail_usage("two columns would be named \"{}\"; give another ‹value_name›, or rename one",
                 shown(names[c]));
    }
    parts.values.add(names[c], records.values.columns()[c].gather(rows));
  }
  std::vector<Column> readings;
  for (const DateColumn& date : dates) {
    const Column& column = records.values.columns()[date.place];
    if (!column.is_numeric()) {
      throw Error(Error::Kind::input,
                  fmt::format("{}: column \"{}\" holds {}, not numbers", records.name,
                              names[date.place], to_text(column.type())));
    }
    readings.push_back(column);
  }
  parts.values.add(options.value_name, concatenate(readings).gather(cells));
  return timer.finish(std::move(parts));
}

}  // namespace zerobeat
