#include <fmt/format.h>

#include <algorithm>
#include <boost/math/distributions/students_t.hpp>
#include <cmath>
#include <set>
#include <zerobeat/base/text.hpp>
#include <zerobeat/model/regress.hpp>
#include <zerobeat/table/step_timer.hpp>

#include "base/parallel.hpp"
#include "expression/program.hpp"
#include "model/cells.hpp"
#include "model/fitted.hpp"
#include "model/sample.hpp"
#include "table/key_column.hpp"

namespace zerobeat::inline v1 {

namespace {

using detail::Fitted;
using detail::Sample;

constexpr double none = std::numeric_limits<double>::quiet_NaN();

constexpr std::array<std::string_view, 8> regress_columns{"y", "term", "coefficient", "se",
                                                          "t", "p",    "low",         "high"};
constexpr std::array<std::string_view, 12> fit_columns{
    "y", "rows", "left_out", "r2",  "r2_adjusted", "sigma",
    "f", "p",    "loglik",   "aic", "bic",         "durbin_watson"};

bool adds(const Regress& options, const char* what) {
  return std::ranges::find(options.add, what) != options.add.end();
}

void check(const Timeline& timeline, const Regress& options) {
  if (options.y.empty() || options.x.empty()) {
    fail_usage("regress takes ‹y› COLUMN and ‹x› TERMS, like ‹x› 'days=elapsed()/86400'");
  }
  if (options.level && !(*options.level > 0 && *options.level < 1)) {
    fail_usage("‹level› {}: it is a share between 0 and 1, like 0.95", *options.level);
  }
  if (options.lags) {
    if (options.errors != Regress::Errors::autocorrelated) {
      fail_usage("‹lags› {}: only ‹errors› autocorrelated looks at lags", *options.lags);
    }
    if (*options.lags < 0 || *options.lags > 1'000'000) {
      fail_usage("‹lags› {}: it is a number of rows, from 0 to 1,000,000", *options.lags);
    }
  }
  if (options.how == Regress::How::huber && options.errors != Regress::Errors::plain) {
    fail_usage("‹how› huber has standard errors of its own: leave ‹errors› out");
  }
  std::set<std::string> names{options.no_constant ? "" : "constant"};
  for (const Term& term : options.x) {
    if (!names.insert(term.name).second) {
      fail_usage("‹x›: two terms are called {}; write NAME=EXPRESSION for one", shown(term.name));
    }
  }
  std::set<std::string> added;
  for (const auto& what : options.add) {
    Regress::Added word{};
    from_text(what, word);
    if (!added.insert(what).second) fail_usage("‹add›: {} is there twice", what);
    const std::string name = options.y + "_" + what;
    if (timeline.values().find(name) || timeline.is_key_name(name) ||
        name == timeline.time_name()) {
      fail_usage("‹add› {}: there is a column {} already", what, shown(name));
    }
  }
}

Column numbers_of(const Timeline& timeline, const std::string& name, const char* option) {
  const Column& column = timeline.values().column(name);
  if (!column.is_numeric()) fail_usage("‹{}› {}: it holds no numbers", option, shown(name));
  return column.as_numbers();
}

/// What a condition comes to is 1 where it holds and 0 where it does not.
Column term_numbers(const Column& column) {
  if (column.type() != Column::Type::boolean) return column.as_numbers();
  Buffer<double> values(column.size());
  ValidityBuilder validity(column.size());
  for (std::size_t i = 0; i < column.size(); ++i) {
    values[i] = column.valid(i) && column.boolean(i) ? 1 : 0;
    if (!column.valid(i)) validity.set_missing(i);
  }
  return Column::numbers(std::move(values), validity.take());
}

Sample sample_of(const Timeline& timeline, const Regress& options, StepTimer& timer) {
  Sample sample;
  sample.constant = !options.no_constant;
  sample.y = numbers_of(timeline, options.y, "y");
  if (!options.weights.empty()) {
    sample.weights = numbers_of(timeline, options.weights, "weights");
  }
  // A term may be named in those after it.
  Table known = timeline.values();
  for (const Term& term : options.x) {
    const auto names = term.value.columns();
    const bool is_column = names.size() == 1 && names[0] == term.name && known.find(names[0]) &&
                           known.column(names[0]).is_numeric();
    if (is_column) {
      sample.terms.push_back(known.column(names[0]).as_numbers());
      continue;
    }
    Evaluated made;
    try {
      made = detail::evaluate_over(term.value, timeline, known);
    } catch (const Error& error) {
      fail_usage("‹x› {}: {}", shown(term.name), error.what());
    }
    if (made.not_finite > 0) {
      timer.note(fmt::format("{}: {} results are not finite, and missing", shown(term.name),
                             grouped(made.not_finite)));
    }
    sample.terms.push_back(term_numbers(made.column));
    if (!known.find(term.name)) known.add(term.name, sample.terms.back());
  }
  return sample;
}

double two_sided_p(double t, double freedom) {
  const boost::math::students_t distribution(freedom);
  return 2 * boost::math::cdf(boost::math::complement(distribution, std::fabs(t)));
}

/// So many standard errors make the interval.
double width_of(const Regress& options, double freedom) {
  const boost::math::students_t distribution(freedom);
  return boost::math::quantile(distribution, 0.5 + options.level.value_or(0.95) / 2);
}

std::string name_of(const Sample& sample, const Regress& options, std::size_t column) {
  if (sample.constant && column == 0) return "constant";
  return options.x[column - (sample.constant ? 1 : 0)].name;
}

Table table_of(const Timeline& timeline, const Sample& sample, const Regress& options,
               const std::vector<Fitted>& all) {
  std::vector<std::uint32_t> strands;
  std::vector<std::optional<std::string>> y, term;
  std::vector<double> coefficient, se, t, p, low, high;
  for (std::size_t s = 0; s < all.size(); ++s) {
    const Fitted& fitted = all[s];
    const auto& kept = fitted.solution.kept;
    for (std::size_t column = 0; column < sample.columns(); ++column) {
      strands.push_back(static_cast<std::uint32_t>(s));
      y.emplace_back(options.y);
      term.emplace_back(name_of(sample, options, column));
      for (auto* cells : {&coefficient, &se, &t, &p, &low, &high}) cells->push_back(none);
      const auto place = std::ranges::find(kept, column);
      if (place == kept.end()) continue;
      coefficient.back() = static_cast<double>(fitted.solution.coefficients[column]);
      if (fitted.se.empty()) continue;
      se.back() = fitted.se[static_cast<std::size_t>(place - kept.begin())];
      const double width = width_of(options, fitted.freedom()) * se.back();
      low.back() = coefficient.back() - width;
      high.back() = coefficient.back() + width;
      if (!(se.back() > 0)) continue;
      t.back() = coefficient.back() / se.back();
      p.back() = two_sided_p(t.back(), fitted.freedom());
    }
  }
  Table table(term.size());
  detail::add_key(table, timeline, strands);
  table.add("y", detail::column_of_texts(y));
  table.add("term", detail::column_of_texts(term));
  table.add("coefficient", detail::column_of_numbers(coefficient));
  table.add("se", detail::column_of_numbers(se));
  table.add("t", detail::column_of_numbers(t));
  table.add("p", detail::column_of_numbers(p));
  table.add("low", detail::column_of_numbers(low));
  table.add("high", detail::column_of_numbers(high));
  return table;
}

Table fit_table(const Timeline& timeline, const Regress& options, const std::vector<Fitted>& all) {
  Table table(all.size());
  std::vector<std::uint32_t> strands;
  for (std::size_t s = 0; s < all.size(); ++s) strands.push_back(static_cast<std::uint32_t>(s));
  detail::add_key(table, timeline, strands);
  table.add(
      "y", detail::column_of_texts(std::vector<std::optional<std::string>>(all.size(), options.y)));
  const auto counts = [&](std::int64_t Fitted::*count) {
    std::vector<std::optional<std::int64_t>> cells;
    for (const Fitted& fitted : all) cells.emplace_back(fitted.*count);
    return detail::column_of_counts(cells);
  };
  table.add("rows", counts(&Fitted::rows));
  table.add("left_out", counts(&Fitted::left_out));
  constexpr std::pair<const char*, double Fitted::*> numbers[] = {
      {"r2", &Fitted::r2},
      {"r2_adjusted", &Fitted::r2_adjusted},
      {"sigma", &Fitted::sigma},
      {"f", &Fitted::f},
      {"p", &Fitted::p},
      {"loglik", &Fitted::loglik},
      {"aic", &Fitted::aic},
      {"bic", &Fitted::bic},
      {"durbin_watson", &Fitted::durbin_watson}};
  for (const auto& [name, number] : numbers) {
    std::vector<double> cells;
    for (const Fitted& fitted : all) cells.push_back(fitted.*number);
    table.add(name, detail::column_of_numbers(cells));
  }
  return table;
}

/// The rows with what the coefficients make of them.
Timeline with_added(const Timeline& timeline, const Sample& sample, const Regress& options,
                    const std::vector<Fitted>& all, StepTimer& timer) {
  constexpr std::array<const char*, 4> words{"fitted", "residual", "low", "high"};
  std::array<std::vector<double>, words.size()> cells;
  for (auto& column : cells) column.assign(timeline.rows(), none);
  detail::parallel_for(std::size_t{0}, all.size(), [&](std::size_t s) {
    const Fitted& fitted = all[s];
    if (!fitted.is_solved) return;
    const Strand& strand = timeline.strands()[s];
    const bool has_band = !fitted.se.empty() && fitted.freedom() > 0;
    const double width = has_band ? width_of(options, fitted.freedom()) : none;
    std::vector<long double> x(sample.columns()), kept(fitted.solution.size());
    for (std::size_t row = strand.begin; row < strand.end; ++row) {
      if (!sample.has_terms(row)) continue;
      sample.put_terms(row, x);
      long double value = 0;
      for (std::size_t j = 0; j < x.size(); ++j) value += x[j] * fitted.solution.coefficients[j];
      cells[0][row] = static_cast<double>(value);
      if (sample.has_y(row)) {
        cells[1][row] = static_cast<double>(sample.y.numbers()[row] - value);
      }
      const double weight = sample.weight(row);
      if (!has_band || !(weight > 0)) continue;
      for (std::size_t i = 0; i < kept.size(); ++i) kept[i] = x[fitted.solution.kept[i]];
      const double band = width * fitted.sigma *
                          static_cast<double>(std::sqrt(1 / static_cast<long double>(weight) +
                                                        fitted.solution.leverage(kept)));
      cells[2][row] = static_cast<double>(value - band);
      cells[3][row] = static_cast<double>(value + band);
    }
  });
  Timeline::Parts parts = timeline.parts();
  for (std::size_t i = 0; i < words.size(); ++i) {
    if (adds(options, words[i])) {
      parts.values.add(options.y + "_" + words[i], detail::column_of_numbers(cells[i]));
    }
  }
  return timer.finish(std::move(parts));
}

/// To three digits; what lacks a little is not 1.
std::string share_text(double share) {
  for (int digits = 3; digits < 9; ++digits) {
    std::string text = fmt::format("{:.{}g}", share, digits);
    if (text != "1" || share == 1) return text;
  }
  return "1 (nearly)";
}

/// What is said of a strand's fit on standard error.
std::string told(const Strand& strand, const Sample& sample, const Regress& options,
                 const Fitted& fitted) {
  std::string text = detail::strand_title(strand, options.y) + ": ";
  if (!fitted.is_solved) {
    return text + fmt::format("{} rows are too few for {} coefficients", grouped(fitted.rows),
                              sample.columns());
  }
  std::string dependent;
  for (std::size_t column = 0; column < sample.columns(); ++column) {
    if (std::ranges::find(fitted.solution.kept, column) != fitted.solution.kept.end()) continue;
    dependent += (dependent.empty() ? "" : ", ") + shown(name_of(sample, options, column));
  }
  if (options.how == Regress::How::huber) {
    text += fmt::format("{} rows, scale {:.6g}", grouped(fitted.rows), fitted.sigma);
  } else {
    if (std::isfinite(fitted.r2)) text += fmt::format("R² {} over ", share_text(fitted.r2));
    text += grouped(fitted.rows) + " rows";
    if (std::isfinite(fitted.sigma)) text += fmt::format(", sigma {:.6g}", fitted.sigma);
  }
  constexpr double low = 1.5, high = 2.5;
  if (fitted.durbin_watson < low || fitted.durbin_watson > high) {
    const bool small = fitted.durbin_watson < low;
    text += fmt::format("; the residuals {} each other (Durbin and Watson {:.2f})",
                        small ? "follow" : "turn against", fitted.durbin_watson);
    if (options.errors == Regress::Errors::plain) {
      text += fmt::format(": plain errors are too {}, see ‹errors› autocorrelated",
                          small ? "small" : "large");
    }
  }
  if (!dependent.empty()) {
    text += fmt::format("; determined by the others, and without a coefficient: {}", dependent);
  }
  return text;
}

}  // namespace

Made regress(const Timeline& timeline, const Regress& options) {
  StepTimer timer(options, timeline);
  check(timeline, options);
  if (options.add.empty()) detail::check_free(regress_columns, timeline.key_names());
  if (!options.fit.empty()) detail::check_free(fit_columns, timeline.key_names());
  const Sample sample = sample_of(timeline, options, timer);
  std::vector<Fitted> all(timeline.strands().size());
  detail::parallel_for(std::size_t{0}, all.size(), [&](std::size_t s) {
    const Strand& strand = timeline.strands()[s];
    all[s] = detail::fitted(sample, strand, options);
  });
  constexpr std::size_t most_told = 12;
  for (std::size_t s = 0; s < std::min(most_told, all.size()); ++s) {
    timer.note(told(timeline.strands()[s], sample, options, all[s]));
  }
  if (all.size() > most_told) {
    timer.note(fmt::format("{} strands more: ‹fit› FILE has them all", all.size() - most_told));
  }
  std::optional<SideTable> fits;
  if (!options.fit.empty()) fits = SideTable{options.fit, fit_table(timeline, options, all)};
  const auto made = [&]() -> Made {
    if (!options.add.empty()) return with_added(timeline, sample, options, all, timer);
    Table table = table_of(timeline, sample, options, all);
    const auto rows = static_cast<std::int64_t>(table.rows());
    return {TableResult{std::move(table), timer.finish(timeline, rows), [timeline, options] {
                          Regress again = options;
                          again.fit = {};
                          again.add = {"fitted", "residual"};
                          return Material{.timelines = {*regress(timeline, again).timeline},
                                          .names = {{"y", {options.y}}}};
                        }}};
  };
  Made out = made();
  if (fits) out.beside.push_back(std::move(*fits));
  return out;
}

std::optional<std::vector<std::string>> columns_needed(const Regress& options, std::string_view) {
  if (!options.add.empty()) return std::nullopt;
  std::vector<std::string> names{options.y}, made;
  if (!options.weights.empty()) names.push_back(options.weights);
  for (const Term& term : options.x) {
    for (const auto& name : term.value.columns()) {
      if (std::ranges::find(made, name) == made.end()) names.push_back(name);
    }
    made.push_back(term.name);
  }
  return names;
}

Reach reach(const Regress&) { return {ReachSide::whole(), ReachSide::whole()}; }

}  // namespace zerobeat
