/// Small timelines for tests, written as they read.

#pragma once

#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>
#include <optional>
#include <random>
#include <sstream>
#include <string>
#include <vector>
#include <zerobeat/clean/settle.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/take/take.hpp>
#include <zerobeat/time/timestamp.hpp>

namespace zerobeat::testing {

using namespace take;  // mean("level") for take::mean("level")

using Readings = std::vector<std::optional<double>>;
inline constexpr std::nullopt_t missing = std::nullopt;

inline Instant at(const std::string& text) { return read_instant(text, Zone()); }

/// "00:10" on 20 October 2025, or a whole time.
inline Instant clock(const std::string& text) {
  return at(text.size() <= 12 ? "2025-10-20T" + text : text);
}

inline Column column_of(const Readings& readings) {
  Buffer<double> values(readings.size());
  ValidityBuilder validity(readings.size());
  for (std::size_t i = 0; i < readings.size(); ++i) {
    values[i] = readings[i].value_or(std::nan(""));
    if (!readings[i]) validity.set_missing(i);
  }
  return Column::numbers(std::move(values), validity.take());
}

inline Column integers_of(const std::vector<std::optional<std::int64_t>>& readings) {
  Buffer<std::int64_t> values(readings.size());
  ValidityBuilder validity(readings.size());
  for (std::size_t i = 0; i < readings.size(); ++i) {
    values[i] = readings[i].value_or(0);
    if (!readings[i]) validity.set_missing(i);
  }
  return Column::integers(std::move(values), validity.take());
}

inline Column texts_of(const std::vector<std::string>& texts) {
  Buffer<std::int32_t> codes(texts.size());
  auto dictionary = std::make_shared<Column::Dictionary>();
  ValidityBuilder validity(texts.size());
  for (std::size_t i = 0; i < texts.size(); ++i) {
    const auto known = std::find(dictionary->begin(), dictionary->end(), texts[i]);
    codes[i] = static_cast<std::int32_t>(known - dictionary->begin());
    if (known == dictionary->end()) dictionary->push_back(texts[i]);
    if (texts[i].empty()) validity.set_missing(i);
  }
  return Column::text(std::move(codes), dictionary, validity.take());
}

/// Rows of one strand, or of several by key, that are in order.
struct Rows {
  std::vector<Instant> times;
  std::vector<std::string> keys;  // empty: no key
  std::vector<std::pair<std::string, Column>> columns;
};

inline Timeline timeline_of(const Rows& rows, const Zone& zone = {}, std::string name = "harbour") {
  Timeline::Parts parts;
  parts.name = std::move(name);
  parts.time_name = "time";
  parts.zone = zone;
  if (!rows.keys.empty()) parts.key_name = "probe";
  parts.times = Column::times(Buffer<Instant>(rows.times));
  for (std::size_t i = 0; i < rows.times.size(); ++i) {
    const bool same = i > 0 && (rows.keys.empty() || rows.keys[i] == rows.keys[i - 1]);
    if (!same) {
      std::optional<std::string> key;
      if (!rows.keys.empty()) key = rows.keys[i];
      parts.strands.push_back({key, i, i});
    }
    parts.strands.back().end = i + 1;
  }
  parts.values = Table(rows.times.size());
  for (const auto& [column_name, column] : rows.columns) parts.values.add(column_name, column);
  return Timeline(std::move(parts));
}

/// One column, at times as clock() reads them.
inline Timeline one_column(const char* name, const std::vector<std::string>& clocks,
                           const Readings& values, std::vector<std::string> keys = {}) {
  std::vector<Instant> times;
  for (const auto& text : clocks) times.push_back(clock(text));
  return timeline_of({times, std::move(keys), {{name, column_of(values)}}}, {}, name);
}

/// strand("00:00 1.0", "00:10 -"): one strand with a column "level".
template <typename... Lines>
Timeline strand(const Lines&... lines) {
  std::vector<Instant> times;
  Readings readings;
  const auto add = [&](const std::string& line) {
    std::istringstream words(line);
    std::string time, reading;
    words >> time >> reading;
    times.push_back(clock(time));
    readings.push_back(reading == "-" ? std::nullopt : std::optional(std::stod(reading)));
  };
  (add(lines), ...);
  return timeline_of({times, {}, {{"level", column_of(readings)}}});
}

/// The time of the record in that place.
inline Instant nth_time(const Records& records, std::size_t place) {
  return records.times.times()[place];
}

inline Readings readings(const Timeline& timeline, const std::string& name) {
  const Column column = timeline.values().column(name);
  const Column numbers = column.is_numeric() ? column.as_numbers() : Column();
  Readings out;
  for (std::size_t i = 0; i < column.size(); ++i) {
    if (!column.valid(i)) {
      out.push_back(std::nullopt);
    } else if (column.type() == Column::Type::boolean) {
      out.push_back(column.boolean(i));
    } else {
      out.push_back(numbers.numbers()[i]);
    }
  }
  return out;
}

inline std::vector<std::string> texts(const Timeline& timeline, const std::string& name) {
  const Column& column = timeline.values().column(name);
  std::vector<std::string> out;
  for (std::size_t i = 0; i < column.size(); ++i)
    out.push_back(column.valid(i) ? column.text(i) : "");
  return out;
}

/// The clock of each row's time: "00:15".
inline std::vector<std::string> clocks(const Timeline& timeline) {
  std::vector<std::string> out;
  for (const Instant t : timeline.times()) out.push_back(to_text(t, 0).substr(11, 5));
  return out;
}

/// Equal where both are missing or both near.
inline bool near(const Readings& a, const Readings& b, double tolerance = 1e-9) {
  if (a.size() != b.size()) return false;
  for (std::size_t i = 0; i < a.size(); ++i) {
    if (a[i].has_value() != b[i].has_value()) return false;
    if (!a[i]) continue;
    const double scale = std::max({1.0, std::fabs(*a[i]), std::fabs(*b[i])});
    if (!(std::fabs(*a[i] - *b[i]) <= tolerance * scale)) return false;
  }
  return true;
}

/// What work that is refused says, when the error is of this kind; empty when it is not refused.
template <typename Work>
std::string refusal(Error::Kind kind, const Work& work) {
  try {
    work();
  } catch (const Error& error) {
    CHECK(error.kind() == kind);
    return error.what();
  }
  return "";
}

/// The same of what is used wrongly.
template <typename Work>
std::string usage(const Work& work) {
  return testing::refusal(Error::Kind::usage, work);
}

/// Irregular rows of several keys, with ties and missing readings, the same on every run.
inline Timeline random_timeline(std::size_t rows, unsigned seed, int keys = 1,
                                double missing_share = 0.2) {
  std::mt19937 random(seed);
  const auto share = [&] { return std::uniform_real_distribution<double>(0, 1)(random); };
  Rows out;
  Readings level, weight;
  std::vector<std::optional<std::int64_t>> kg;
  for (int key = 0; key < keys; ++key) {
    Instant t = at("2025-10-20T00:00:00Z") - std::chrono::hours(key);
    for (std::size_t i = 0; i < rows / static_cast<std::size_t>(keys); ++i) {
      const double pick = share();
      if (pick > 0.1) t += std::chrono::milliseconds(static_cast<int>(share() * 120'000));
      if (pick > 0.97) t += std::chrono::hours(2);
      out.times.push_back(t);
      if (keys > 1) out.keys.push_back("cold_" + std::to_string(key + 1));
      level.push_back(share() < missing_share ? std::nullopt
                                              : std::optional(std::floor(share() * 50) / 4 - 3));
      weight.push_back(share() < missing_share ? std::nullopt : std::optional(share() * 10));
      kg.push_back(share() < missing_share
                       ? std::nullopt
                       : std::optional(static_cast<std::int64_t>(share() * 90)));
    }
  }
  out.columns = {
      {"level", column_of(level)}, {"weight", column_of(weight)}, {"kg", integers_of(kg)}};
  return timeline_of(out);
}

}  // namespace zerobeat::testing
