#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <zerobeat/base/text.hpp>
#include <zerobeat/model/forecast.hpp>
#include <zerobeat/table/step_timer.hpp>

#include "base/parallel.hpp"
#include "model/beat.hpp"
#include "model/cells.hpp"
#include "model/forecast/hidden_ends.hpp"
#include "table/column_unit.hpp"
#include "table/key_column.hpp"

namespace zerobeat::inline v1 {

namespace {

using detail::ChosenModel;
using detail::EndsScore;
using detail::FittedModel;
using Family = ForecastModel::Family;

constexpr std::int64_t usual_rounds = 5, most_rounds = 1'000;

double same(double x) { return x; }
double power_of_e(double x) { return std::exp(x); }

/// "80", "99_5": as column names have it.
std::string level_text(double percent) {
  std::string out = fmt::format("{}", percent);
  std::ranges::replace(out, '.', '_');
  return out;
}

/// What a column's forecast is in: itself, then low and high of each level.
std::vector<std::string> columns_of(const std::string& column, const BandLevels& levels) {
  std::vector<std::string> out{column};
  for (const double percent : levels.percents) {
    out.push_back(column + "_low" + level_text(percent));
    out.push_back(column + "_high" + level_text(percent));
  }
  return out;
}

std::vector<std::string> attempt_columns(const BandLevels& levels) {
  std::vector<std::string> out{"column", "model", "rounds", "mae", "rmse", "mase"};
  for (const double percent : levels.percents) out.push_back("within" + level_text(percent));
  return out;
}

void check(const Timeline& timeline, const std::vector<std::string>& names,
           const Forecast& options) {
  if (!options.ahead) fail_usage("forecast takes ‹ahead› N or PERIOD, like ‹ahead› 12");
  if (!options.ahead->in_rows()) check_on_axis(timeline.axis(), options.ahead->period, "‹ahead›");
  if (options.ahead->in_rows() && options.ahead->rows > detail::most_rows_ahead) {
    fail_usage("‹ahead› {}: at most {} rows", options.ahead->rows,
               grouped(detail::most_rows_ahead));
  }
  if (options.season && !options.season->in_rows()) {
    check_on_axis(timeline.axis(), options.season->period, "‹season›");
  }
  if (options.rounds && (*options.rounds < 1 || *options.rounds > most_rounds)) {
    fail_usage("‹rounds› {}: from 1 to {} ends can be hidden", *options.rounds, most_rounds);
  }
  const auto needs_season = [&](const ForecastModel& model, const char* option) {
    if (options.season || !model.needs_season()) return;
    fail_usage("‹{}› {}: it has a season, and there is no ‹season› N or PERIOD", option,
               to_text(model));
  };
  needs_season(options.model, "model");
  for (const ForecastModel& model : options.attempts) needs_season(model, "try");
  if (!options.attempts.empty()) {
    const char* other = options.with_past                  ? "with_past"
                        : !options.fit.empty()             ? "fit"
                        : options.model != ForecastModel() ? "model"
                                                           : nullptr;
    if (other != nullptr) fail_usage("‹try› forecasts nothing, so it does not go with ‹{}›", other);
    return;
  }
  for (const auto& name : names) {
    for (const auto& made : columns_of(name, options.levels)) {
      if (made == name) continue;
      const bool clashes = std::ranges::find(names, made) != names.end() ||
                           timeline.is_key_name(made) || made == timeline.time_name();
      if (clashes) fail_usage("there is a column {} already", shown(made));
    }
  }
}

/// A strand as forecasts need it.
struct StrandPlan {
  std::size_t season = 1, ahead = 0;
  std::size_t too_long = 0;  ///< the season, when its rows are less than two; it goes on without
  std::vector<Instant> times{};
};

StrandPlan plan_of(const Timeline& timeline, const Strand& strand, const Forecast& options,
                   const detail::BeatOptions& beats) {
  StrandPlan out;
  const detail::Beat beat = detail::beat_of(timeline, strand, beats);
  if (beat.kind == detail::Beat::Kind::none || beat.step <= 0) return out;
  if (options.season) {
    const auto rows =
        detail::rows_of_season(*options.season, beat, beats.calendar ? &*beats.calendar : nullptr);
    out.season = static_cast<std::size_t>(rows);
    out.too_long = strand.size() < 2 * out.season ? out.season : 0;
    if (out.too_long > 0) out.season = 1;
  }
  const std::int64_t ahead =
      options.ahead->in_rows()
          ? options.ahead->rows
          : detail::rows_within(timeline, strand, beat, beats, options.ahead->period);
  if (ahead == 0) {
    fail_usage("‹ahead› {}: it is shorter than a step of {}", to_text(*options.ahead),
               detail::beat_text(beat));
  }
  out.ahead = static_cast<std::size_t>(ahead);
  out.times = detail::instants_ahead(timeline, strand, beat, beats, ahead);
  return out;
}

/// To four digits, from a thousand on whole.
std::string number_text(double x) {
  if (!std::isfinite(x)) return "none";
  constexpr double thousand = 1'000, most = 9e15;
  const bool is_whole = std::fabs(x) >= thousand && std::fabs(x) < most;
  return is_whole ? grouped(std::llround(x)) : fmt::format("{:.4g}", x);
}

std::string criterion_text(double x) {
  constexpr double most = 1e14;
  if (!(std::fabs(x) < most)) return fmt::format("{:.4g}", x);
  const std::int64_t tenths = std::llround(std::fabs(x) * 10);
  return fmt::format("{}{}.{}", x < 0 ? "-" : "", grouped(tenths / 10), tenths % 10);
}

std::string ends_text(std::int64_t rounds) {
  return rounds == 1 ? "a hidden end" : fmt::format("{} hidden ends", rounds);
}

/// One column of one strand, forecast or tried.
struct ColumnResult {
  ChosenModel chosen{};
  detail::RowsAhead rows{};
  std::vector<EndsScore> scores{};  ///< of the attempts, then of naive
};

class ForecastWork {
 public:
  ForecastWork(const Timeline& timeline, const Forecast& options,
               const std::vector<std::string>& names, std::vector<StrandPlan> plans)
      : timeline_(timeline),
        options_(options),
        names_(names),
        plans_(std::move(plans)),
        results_(timeline.strands().size() * names.size()) {
    for (const auto& name : names) {
      columns_.push_back(timeline.values().column(name).as_numbers());
    }
    fit_.by = options.by;
    fit_.seed = static_cast<std::uint64_t>(options.seed.value_or(1));
    for (const double percent : options.levels.percents) fit_.shares.push_back(percent / 100);
  }

  /// Looks at all readings before anything that takes long.
  void read() {
    readings_.resize(results_.size());
    for (std::size_t i = 0; i < results_.size(); ++i) readings_[i] = readings_of(i);
  }

  void run() {
    const auto original = options_.multiply ? power_of_e : same;
    const std::int64_t rounds = options_.rounds.value_or(usual_rounds);
    std::vector<ForecastModel> models = options_.attempts;
    models.emplace_back(Family::naive);
    detail::parallel_for(std::size_t{0}, results_.size(), [&](std::size_t i) {
      const StrandPlan& plan = plan_of_result(i);
      if (plan.ahead == 0) return;
      const detail::Series series{readings_[i], plan.season};
      ColumnResult& out = results_[i];
      if (!options_.attempts.empty()) {
        out.scores = detail::score_ends(models, series, plan.ahead, rounds, fit_, original);
        return;
      }
      out.chosen = detail::choose_model(options_.model, series, plan.ahead, rounds, fit_, original);
      if (!out.chosen.fitted.is_fitted()) return;
      out.rows = out.chosen.fitted.ahead(plan.ahead);
      if (!options_.multiply) return;
      const auto back = [](std::vector<double>& x) {
        std::ranges::transform(x, x.begin(), power_of_e);
      };
      back(out.rows.value);
      for (auto& rows : out.rows.low) back(rows);
      for (auto& rows : out.rows.high) back(rows);
    });
  }

  Timeline rows_ahead(StepTimer& timer) const;
  Table fits() const;
  Table attempts() const;
  std::vector<std::string> notes() const;

 private:
  [[nodiscard]] std::size_t strand_of(std::size_t i) const { return i / names_.size(); }
  [[nodiscard]] const std::string& name_of(std::size_t i) const {
    return names_[i % names_.size()];
  }
  [[nodiscard]] const StrandPlan& plan_of_result(std::size_t i) const {
    return plans_[strand_of(i)];
  }
  [[nodiscard]] std::string title_of(std::size_t i) const {
    return detail::strand_title(timeline_.strands()[strand_of(i)], name_of(i));
  }

  [[nodiscard]] std::vector<double> readings_of(std::size_t i) const {
    const Strand& strand = timeline_.strands()[strand_of(i)];
    return detail::readings_in(timeline_, strand, columns_[i % names_.size()], name_of(i),
                               options_.multiply);
  }
  [[nodiscard]] std::string note_of(std::size_t i) const;
  void add_attempt_notes(std::size_t i, std::vector<std::string>& out) const;

  const Timeline& timeline_;
  const Forecast& options_;
  const std::vector<std::string>& names_;
  std::vector<StrandPlan> plans_;
  std::vector<ColumnResult> results_;
  std::vector<Column> columns_{};
  std::vector<std::vector<double>> readings_{};
  detail::FitOptions fit_{};
};

Timeline ForecastWork::rows_ahead(StepTimer& timer) const {
  const auto strands = timeline_.strands();
  std::vector<Strand> made;
  std::vector<Instant> times;
  for (std::size_t s = 0; s < strands.size(); ++s) {
    Strand strand = strands[s];
    strand.begin = times.size();
    if (options_.with_past) {
      const auto past = timeline_.times().subspan(strands[s].begin, strands[s].size());
      times.insert(times.end(), past.begin(), past.end());
    }
    times.insert(times.end(), plans_[s].times.begin(), plans_[s].times.end());
    strand.end = times.size();
    made.push_back(std::move(strand));
  }
  Timeline::Parts parts = timeline_.parts();
  parts.ordered = nullptr;
  parts.values = Table(times.size());
  for (std::size_t n = 0; n < names_.size(); ++n) {
    const auto columns = columns_of(names_[n], options_.levels);
    std::vector<std::vector<double>> cells(columns.size(),
                                           std::vector<double>(times.size(), detail::no_value));
    for (std::size_t s = 0; s < strands.size(); ++s) {
      std::size_t row = made[s].begin;
      for (std::size_t past = strands[s].begin; options_.with_past && past < strands[s].end;
           ++past) {
        cells[0][row++] = columns_[n].valid(past) ? columns_[n].numbers()[past] : detail::no_value;
      }
      const detail::RowsAhead& rows = results_[s * names_.size() + n].rows;
      for (std::size_t h = 0; h < rows.value.size(); ++h, ++row) {
        cells[0][row] = rows.value[h];
        for (std::size_t k = 0; k < rows.low.size(); ++k) {
          cells[1 + 2 * k][row] = rows.low[k][h];
          cells[2 + 2 * k][row] = rows.high[k][h];
        }
      }
    }
    for (std::size_t c = 0; c < columns.size(); ++c) {
      parts.values.add(columns[c], detail::column_of_numbers(cells[c]));
    }
  }
  parts.times = Column(times);
  parts.strands = std::move(made);
  return timer.finish(std::move(parts));
}

Table ForecastWork::fits() const {
  std::vector<std::uint32_t> strands;
  std::vector<std::optional<std::string>> columns, models, terms;
  std::vector<std::optional<std::int64_t>> readings, parameters;
  std::vector<double> sigma, loglik, aic, aicc, bic;
  for (std::size_t i = 0; i < results_.size(); ++i) {
    const FittedModel& fitted = results_[i].chosen.fitted;
    strands.push_back(static_cast<std::uint32_t>(strand_of(i)));
    columns.emplace_back(name_of(i));
    const bool is_fitted = fitted.is_fitted();
    models.push_back(is_fitted ? std::optional(to_text(fitted.model)) : std::nullopt);
    readings.push_back(is_fitted ? std::optional(fitted.readings) : std::nullopt);
    parameters.push_back(is_fitted ? std::optional(fitted.parameters) : std::nullopt);
    sigma.push_back(is_fitted ? fitted.sigma : detail::no_value);
    loglik.push_back(is_fitted ? fitted.log_likelihood : detail::no_value);
    aic.push_back(is_fitted ? fitted.criterion(Forecast::Criterion::aic) : detail::no_value);
    aicc.push_back(is_fitted ? fitted.criterion(Forecast::Criterion::aicc) : detail::no_value);
    bic.push_back(is_fitted ? fitted.criterion(Forecast::Criterion::bic) : detail::no_value);
    std::string text;
    for (const auto& [name, value] : fitted.terms) {
      text += fmt::format("{}{}={:.9g}", text.empty() ? "" : " ", name, value);
    }
    terms.push_back(text.empty() ? std::nullopt : std::optional(text));
  }
  Table table(strands.size());
  detail::add_key(table, timeline_, strands);
  table.add("column", detail::column_of_texts(columns));
  table.add("model", detail::column_of_texts(models));
  table.add("readings", detail::column_of_counts(readings));
  table.add("parameters", detail::column_of_counts(parameters));
  table.add("sigma", detail::column_of_numbers(sigma));
  table.add("loglik", detail::column_of_numbers(loglik));
  table.add("aic", detail::column_of_numbers(aic));
  table.add("aicc", detail::column_of_numbers(aicc));
  table.add("bic", detail::column_of_numbers(bic));
  table.add("terms", detail::column_of_texts(terms));
  return table;
}

Table ForecastWork::attempts() const {
  std::vector<std::uint32_t> strands;
  std::vector<std::optional<std::string>> columns, models;
  std::vector<std::optional<std::int64_t>> rounds;
  std::vector<double> mae, rmse, mase;
  std::vector<std::vector<double>> within(options_.levels.percents.size());
  for (std::size_t i = 0; i < results_.size(); ++i) {
    for (std::size_t m = 0; m < options_.attempts.size(); ++m) {
      const EndsScore score =
          results_[i].scores.empty()
              ? EndsScore{0, 0, detail::no_value, detail::no_value, detail::no_value}
              : results_[i].scores[m];
      strands.push_back(static_cast<std::uint32_t>(strand_of(i)));
      columns.emplace_back(name_of(i));
      models.emplace_back(to_text(options_.attempts[m]));
      rounds.emplace_back(score.rounds);
      mae.push_back(score.mae);
      rmse.push_back(score.rmse);
      mase.push_back(score.mase);
      for (std::size_t k = 0; k < within.size(); ++k) {
        within[k].push_back(score.within.empty() ? detail::no_value : score.within[k]);
      }
    }
  }
  const auto names = attempt_columns(options_.levels);
  Table table(strands.size());
  detail::add_key(table, timeline_, strands);
  table.add("column", detail::column_of_texts(columns));
  table.add("model", detail::column_of_texts(models));
  table.add("rounds", detail::column_of_counts(rounds));
  table.add("mae", detail::column_of_numbers(mae));
  table.add("rmse", detail::column_of_numbers(rmse));
  table.add("mase", detail::column_of_numbers(mase));
  for (std::size_t k = 0; k < within.size(); ++k) {
    table.add(names[names.size() - within.size() + k], detail::column_of_numbers(within[k]));
  }
  return table;
}

std::string ForecastWork::note_of(std::size_t i) const {
  const ChosenModel& chosen = results_[i].chosen;
  const FittedModel& fitted = chosen.fitted;
  std::string out = title_of(i) + ": ";
  if (plan_of_result(i).ahead == 0)
    return out + "a strand of one row has no beat, so no rows ahead";
  if (!fitted.is_fitted()) return out + "none of its readings is there, so none ahead";
  out += fitted.name;
  if (!fitted.instead.empty()) out += ", since " + fitted.instead;
  const bool has_criterion =
      fitted.model.family == Family::arima || fitted.model.family == Family::smoothing;
  const double criterion = fitted.criterion(options_.by);
  if (has_criterion && std::isfinite(criterion)) {
    const auto word = enum_words(options_.by)[static_cast<std::size_t>(options_.by)];
    out += fmt::format(" ({} {}", word, criterion_text(criterion));
    if (std::isfinite(fitted.next_best)) {
      out += "; the next best " + criterion_text(fitted.next_best);
    }
    out += ")";
  }
  if (chosen.compared.empty()) return out;
  const EndsScore& best = chosen.scores[chosen.best];
  if (best.rounds == 0) return out + "; its rows are too few to hide an end";
  const std::string unit(detail::unit_of_column(name_of(i)));
  out += fmt::format("; over {} its mean absolute error is {}{}", ends_text(best.rounds),
                     number_text(best.mae), unit.empty() ? "" : " " + unit);
  std::vector<std::size_t> others;
  for (std::size_t m = 0; m < chosen.compared.size(); ++m) {
    if (m != chosen.best) others.push_back(m);
  }
  std::ranges::stable_sort(others, {}, [&](std::size_t m) { return chosen.scores[m].mae; });
  for (const std::size_t m : others) {
    out += fmt::format(", {}'s {}", to_text(chosen.compared[m]), number_text(chosen.scores[m].mae));
  }
  if (chosen.best == 0) out += ": no model is better than naive";
  return out;
}

void ForecastWork::add_attempt_notes(std::size_t i, std::vector<std::string>& out) const {
  const auto& scores = results_[i].scores;
  const std::string title = title_of(i);
  if (scores.empty()) {
    out.push_back(title + ": a strand of one row has no beat");
    return;
  }
  const EndsScore& naive = scores.back();
  const std::int64_t rounds = options_.rounds.value_or(usual_rounds);
  if (naive.rounds < rounds) {
    out.push_back(fmt::format("{}: its rows are enough for {} hidden ends of {}", title,
                              naive.rounds, rounds));
  }
  for (std::size_t m = 0; m < options_.attempts.size(); ++m) {
    const std::string model = to_text(options_.attempts[m]);
    if (!scores[m].instead.empty()) {
      out.push_back(fmt::format("{}: in some round {}, and a simpler model stands for it", title,
                                scores[m].instead));
    }
    if (options_.attempts[m] == ForecastModel(Family::naive) || !(scores[m].mae >= naive.mae)) {
      continue;
    }
    out.push_back(fmt::format(
        "{}: {} is no better than naive over {}: its mean absolute error is "
        "{}, naive's {}",
        title, model, ends_text(naive.rounds), number_text(scores[m].mae), number_text(naive.mae)));
  }
}

std::vector<std::string> ForecastWork::notes() const {
  std::vector<std::string> out;
  for (std::size_t i = 0; i < results_.size(); ++i) {
    const StrandPlan& plan = plan_of_result(i);
    if (plan.too_long > 0) {
      out.push_back(fmt::format("{}: {} rows are less than two seasons of {}; it goes on without",
                                title_of(i), readings_[i].size(), plan.too_long));
    }
    if (options_.attempts.empty()) {
      out.push_back(note_of(i));
    } else {
      add_attempt_notes(i, out);
    }
  }
  constexpr std::size_t most_notes = 24;
  if (out.size() > most_notes) {
    const std::size_t more = out.size() - most_notes;
    out.resize(most_notes);
    out.push_back(fmt::format("{} more{}", more,
                              options_.attempts.empty() ? ": ‹fit› FILE has all models" : ""));
  }
  return out;
}

}  // namespace

void from_text(std::string_view text, BandLevels& out) {
  BandLevels made{{}};
  for (std::size_t begin = 0; begin <= text.size();) {
    const std::size_t end = std::min(text.find(',', begin), text.size());
    double percent = 0;
    from_text(text.substr(begin, end - begin), percent);
    if (!(percent > 0 && percent < 100)) {
      fail_usage("\"{}\": a band holds more than 0 and less than 100 percent", shown(text));
    }
    if (std::ranges::find(made.percents, percent) != made.percents.end()) {
      fail_usage("\"{}\": {} is there twice", shown(text), percent);
    }
    made.percents.push_back(percent);
    begin = end + 1;
  }
  out = std::move(made);
}

std::string to_text(const BandLevels& levels) {
  std::string out;
  for (const double percent : levels.percents) {
    out += fmt::format("{}{}", out.empty() ? "" : ",", percent);
  }
  return out;
}

Made forecast(const Timeline& timeline, const Forecast& options) {
  StepTimer timer(options, timeline);
  const auto names = timeline.values().chosen(options.on);
  check(timeline, names, options);
  constexpr std::array<std::string_view, 10> fit_columns{
      "column", "model", "readings", "parameters", "sigma",
      "loglik", "aic",   "aicc",     "bic",        "terms"};
  if (!options.fit.empty()) detail::check_free(fit_columns, timeline.key_names());
  const auto calendar = options.days.read();
  const detail::BeatOptions beats{options.by_rows, calendar};
  std::vector<StrandPlan> plans;
  for (const Strand& strand : timeline.strands()) {
    plans.push_back(plan_of(timeline, strand, options, beats));
  }
  ForecastWork work(timeline, options, names, std::move(plans));
  work.read();
  work.run();
  for (auto& note : work.notes()) timer.note(std::move(note));
  if (!options.attempts.empty()) {
    Table table = work.attempts();
    const auto rows = static_cast<std::int64_t>(table.rows());
    return Made(TableResult{std::move(table), timer.finish(timeline, rows), {}});
  }
  Made made(work.rows_ahead(timer));
  std::vector<std::string> levels;
  for (const double percent : options.levels.percents) levels.push_back(level_text(percent));
  made.material = [past = timeline, result = *made.timeline, names, levels] {
    return Material{.timelines = {past, result}, .names = {{"on", names}, {"levels", levels}}};
  };
  if (!options.fit.empty()) made.beside.push_back({options.fit, work.fits()});
  return made;
}

std::optional<std::vector<std::string>> columns_needed(const Forecast& options, std::string_view) {
  if (options.on.empty()) return std::nullopt;
  return options.on;
}

Reach reach(const Forecast&) { return {ReachSide::whole(), ReachSide::none()}; }

}  // namespace zerobeat
