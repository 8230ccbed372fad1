#include "model/beat.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <zerobeat/base/text.hpp>

#include "time/wide_instant.hpp"

namespace zerobeat::inline v1::detail {

namespace {

using LocalTime = std::chrono::local_time<Nanoseconds>;

LocalTime midnight_of(LocalTime local) { return std::chrono::floor<std::chrono::days>(local); }

std::chrono::year_month_day date_of(LocalTime local) {
  return std::chrono::year_month_day(std::chrono::floor<std::chrono::days>(local));
}

std::int64_t month_number(const std::chrono::year_month_day& date) {
  return static_cast<int>(date.year()) * 12 +
         static_cast<std::int64_t>(static_cast<unsigned>(date.month())) - 1;
}

/// Where a calendar beat has a row, on the zone's clocks.
LocalTime local_of(const Beat& beat, std::int64_t row, const Calendar* calendar) {
  const auto clock = beat.first - midnight_of(beat.first);
  const auto first_day = std::chrono::floor<std::chrono::days>(beat.first);
  if (beat.kind == Beat::Kind::months) {
    const std::int64_t month = month_number(date_of(beat.first)) + beat.step * row;
    const std::chrono::year_month_day_last last =
        std::chrono::year(static_cast<int>(month / 12)) /
        std::chrono::month(static_cast<unsigned>(month % 12 + 1)) / std::chrono::last;
    const auto day = std::min(std::chrono::day(beat.day), last.day());
    return std::chrono::local_days(last.year() / last.month() / day) + clock;
  }
  if (beat.kind == Beat::Kind::working_days) {
    return calendar->nth_after(first_day, beat.step * row) + clock;
  }
  return first_day + std::chrono::days(beat.step * row) + clock;
}

/// The times of a strand, and what they come to by a beat.
class Rows {
 public:
  Rows(const Timeline& timeline, const Strand& strand, const BeatOptions& options)
      : timeline_(timeline),
        zone_(timeline.zone()),
        times_(timeline.times().subspan(strand.begin, strand.size())),
        options_(options) {}

  [[nodiscard]] Beat beat() const {
    if (times_.size() < 2) return {};
    if (options_.by_rows) return typical();
    if (timeline_.axis().is_instants()) {
      for (const auto beat : {months(), working_days(), days()}) {
        if (beat.step > 0 && fits(beat)) return beat;
      }
    }
    const Beat beat = fixed();
    if (beat.step > 0 && fits(beat)) return beat;
    refuse();
  }

 private:
  [[nodiscard]] LocalTime local(std::size_t row) const { return zone_.local_of(times_[row]); }

  [[nodiscard]] Beat typical() const {
    const auto step = typical_step(times_);
    return {Beat::Kind::fixed, step ? step->count() : 0, 0, {}};
  }

  [[nodiscard]] Beat fixed() const {
    const Wide step = Wide(nanoseconds_of(times_[1])) - nanoseconds_of(times_[0]);
    return {Beat::Kind::fixed, fits_int64(step) ? static_cast<std::int64_t>(step) : 0, 0, {}};
  }

  [[nodiscard]] Beat days() const {
    const auto length = midnight_of(local(1)) - midnight_of(local(0));
    return {Beat::Kind::days, std::chrono::floor<std::chrono::days>(length).count(), 0, local(0)};
  }

  [[nodiscard]] Beat working_days() const {
    if (!options_.calendar) return {};
    const auto day = [&](std::size_t row) {
      return std::chrono::floor<std::chrono::days>(local(row));
    };
    if (!options_.calendar->is_working_day(day(0))) return {};
    return {Beat::Kind::working_days, options_.calendar->working_days(day(0), day(1)), 0, local(0)};
  }

  [[nodiscard]] Beat months() const {
    Beat beat{Beat::Kind::months, month_number(date_of(local(1))) - month_number(date_of(local(0))),
              0, local(0)};
    if (beat.step <= 0) return {};
    // The day that all stand at, where their month has it.
    for (std::size_t row = 0; row < times_.size(); ++row) {
      beat.day = std::max(beat.day, static_cast<unsigned>(date_of(local(row)).day()));
    }
    return beat;
  }

  [[nodiscard]] bool fits(const Beat& beat) const {
    for (std::size_t row = 0; row < times_.size(); ++row) {
      if (!stands(beat, row)) return false;
    }
    return true;
  }

  /// Whether a row stands where the beat has it.
  [[nodiscard]] bool stands(const Beat& beat, std::size_t row) const {
    const auto number = static_cast<std::int64_t>(row);
    if (beat.kind == Beat::Kind::fixed) {
      return Wide(nanoseconds_of(times_[row])) ==
             Wide(nanoseconds_of(times_[0])) + Wide(beat.step) * number;
    }
    const LocalTime expected =
        local_of(beat, number, options_.calendar ? &*options_.calendar : nullptr);
    // A clock time that is skipped is the first one after.
    return local(row) == expected || times_[row] == zone_.first_instant(expected);
  }

  [[noreturn]] void refuse() const {
    const auto typical_step_ns = typical_step(times_);
    const std::int64_t step = typical_step_ns ? typical_step_ns->count() : 0;
    std::size_t row = 1;
    while (row + 1 < times_.size() && is_step(row, step)) ++row;
    const std::string& key = key_;
    const auto text = [&](Instant t) {
      if (timeline_.axis().is_instants()) return to_text(t);
      std::string out;
      append_elapsed(out, t, *timeline_.axis().elapsed);
      return out;
    };
    const double seconds = seconds_between(times_[row - 1], times_[row]);
    throw Error(
        Error::Kind::limit,
        fmt::format("{}its rows do not follow each other evenly: from {} to {} is {}, where {} "
                    "is typical; resample ‹every› makes them regular, ‹by_rows› takes them as they "
                    "come",
                    key, text(times_[row - 1]), text(times_[row]), length_text(seconds),
                    length_text(static_cast<double>(step) / 1e9)));
  }

  /// Whether the step before a row is the typical one, by the clock of the zone or in all.
  [[nodiscard]] bool is_step(std::size_t row, std::int64_t step) const {
    if (Wide(nanoseconds_of(times_[row])) - nanoseconds_of(times_[row - 1]) == step) return true;
    return timeline_.axis().is_instants() && (local(row) - local(row - 1)).count() == step;
  }

 public:
  void named(std::string key) { key_ = std::move(key); }

 private:
  const Timeline& timeline_;
  Zone zone_;
  std::span<const Instant> times_;
  const BeatOptions& options_;
  std::string key_{};
};

constexpr std::int64_t day_ns = 86'400'000'000'000;

/// Days of a period, when it is of days, of years, or of hours that make some.
std::optional<std::int64_t> days_of(const Period& period) {
  if (period.months != 0) {
    if (period.months % 12 != 0 || period.days != 0 || period.nanoseconds.count() != 0) return {};
    return period.months / 12 * 365;
  }
  if (period.nanoseconds.count() % day_ns != 0) return {};
  return period.days + period.nanoseconds.count() / day_ns;
}

std::optional<std::int64_t> whole(Wide all, Wide each) {
  if (each <= 0 || all % each != 0) return std::nullopt;
  return static_cast<std::int64_t>(all / each);
}

std::optional<std::int64_t> rows_of(const Period& period, const Beat& beat,
                                    const Calendar* calendar) {
  switch (beat.kind) {
    case Beat::Kind::none:
      return std::nullopt;
    case Beat::Kind::months:
      if (period.days != 0 || period.nanoseconds.count() != 0) return std::nullopt;
      return whole(period.months, beat.step);
    case Beat::Kind::days: {
      const auto days = days_of(period);
      return days ? whole(*days, beat.step) : std::nullopt;
    }
    case Beat::Kind::working_days: {
      const auto days = days_of(period);
      if (!days || calendar == nullptr) return std::nullopt;
      if (!period.in_weeks && *days % 7 != 0) return whole(*days, beat.step);
      // A usual week's.
      std::int64_t worked = 0;
      const std::chrono::local_days monday(std::chrono::days(4));
      for (int day = 0; day < 7; ++day) {
        worked += calendar->is_working_day(monday + std::chrono::days(day)) ? 1 : 0;
      }
      return whole(Wide(*days / 7) * worked, beat.step);
    }
    case Beat::Kind::fixed: {
      if (period.months != 0 && !days_of(period)) return std::nullopt;
      const Wide days = period.months != 0 ? Wide(*days_of(period)) : Wide(period.days);
      return whole(days * day_ns + period.nanoseconds.count(), beat.step);
    }
  }
  return std::nullopt;
}

}  // namespace

std::vector<Instant> instants_ahead(const Timeline& timeline, const Strand& strand,
                                    const Beat& beat, const BeatOptions& options,
                                    std::int64_t count) {
  std::vector<Instant> out;
  if (beat.kind == Beat::Kind::none || beat.step <= 0) return out;
  const auto times = timeline.times().subspan(strand.begin, strand.size());
  Beat from = beat;
  auto row = static_cast<std::int64_t>(times.size()) - 1;
  const Calendar* calendar = options.calendar ? &*options.calendar : nullptr;
  constexpr std::int64_t day_length = 86'400'000'000'000;
  const bool is_fixed = beat.kind == Beat::Kind::fixed;
  if (is_fixed && options.by_rows && calendar != nullptr && timeline.axis().is_instants() &&
      beat.step % day_length == 0) {
    // Rows as they come, but the days ahead are known.
    from = {Beat::Kind::working_days, beat.step / day_length, 0,
            timeline.zone().local_of(times.back())};
    row = 0;
  }
  Instant before = times.back();
  for (std::int64_t n = 1; n <= count; ++n) {
    Instant next{};
    if (from.kind == Beat::Kind::fixed) {
      next = bounded_instant(Wide(nanoseconds_of(times.back())) + Wide(beat.step) * n);
    } else {
      constexpr std::int64_t last_year = 2262;
      const LocalTime local = local_of(from, row + n, calendar);
      next = static_cast<int>(date_of(local).year()) < last_year
                 ? timeline.zone().first_instant(local)
                 : before;
    }
    if (next <= before || (n < count && next == Instant::max())) {
      throw Error(Error::Kind::limit,
                  fmt::format("‹ahead›: row {} of {} ahead is beyond the year 2262", grouped(n),
                              grouped(count)));
    }
    out.push_back(before = next);
  }
  return out;
}

std::int64_t rows_within(const Timeline& timeline, const Strand& strand, const Beat& beat,
                         const BeatOptions& options, const Period& period) {
  if (beat.kind == Beat::Kind::none || beat.step <= 0) return 0;
  if (beat.kind == Beat::Kind::months && period.days == 0 && period.nanoseconds.count() == 0) {
    // A month after the 30th of one that has no more is the next one's last.
    return period.months / beat.step;
  }
  const Instant last = timeline.times()[strand.end - 1];
  const Instant until =
      timeline.axis().is_instants()
          ? shift(last, period, 1, timeline.zone())
          : bounded_instant(Wide(nanoseconds_of(last)) + period.nanoseconds.count());
  std::int64_t count = 1;
  std::vector<Instant> ahead = instants_ahead(timeline, strand, beat, options, count);
  while (ahead.back() <= until && count < most_rows_ahead) {
    count = std::min(2 * count, most_rows_ahead);
    ahead = instants_ahead(timeline, strand, beat, options, count);
  }
  return std::ranges::upper_bound(ahead, until) - ahead.begin();
}

std::string beat_text(const Beat& beat) {
  const auto many = [&](const char* one, const char* more) {
    return beat.step == 1 ? std::string(one) : fmt::format("{} {}", beat.step, more);
  };
  switch (beat.kind) {
    case Beat::Kind::none:
      return "no step";
    case Beat::Kind::fixed:
      return length_text(static_cast<double>(beat.step) / 1e9);
    case Beat::Kind::days:
      return many("a day", "days");
    case Beat::Kind::working_days:
      return many("a working day", "working days");
    case Beat::Kind::months:
      return many("a month", "months");
  }
  return {};
}

Beat beat_of(const Timeline& timeline, const Strand& strand, const BeatOptions& options) {
  Rows rows(timeline, strand, options);
  if (strand.key) rows.named(fmt::format("\"{}\": ", shown(key_text(*strand.key))));
  return rows.beat();
}

std::int64_t rows_of_season(const Extent& season, const Beat& beat, const Calendar* calendar) {
  std::int64_t rows = season.rows;
  if (!season.in_rows()) {
    const auto found = rows_of(season.period, beat, calendar);
    if (!found) {
      fail_usage("‹season› {}: it is no whole number of rows that are {} apart; name it in rows",
                 to_text(season), beat_text(beat));
    }
    rows = *found;
  }
  if (rows < 2) fail_usage("‹season› {}: it has at least 2 rows", to_text(season));
  return rows;
}

}  // namespace zerobeat::detail
