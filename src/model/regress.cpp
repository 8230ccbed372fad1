#include <fmt/format.h>

#include <algorithm>
#include <boost/math/distributions/fisher_f.hpp>
#include <boost/math/distributions/students_t.hpp>
#include <cmath>
#include <set>
#include <zerobeat/base/text.hpp>
#include <zerobeat/model/regress.hpp>
#include <zerobeat/table/step_timer.hpp>

#include "base/parallel.hpp"
#include "expression/program.hpp"
#include "model/cells.hpp"
#include "model/sample.hpp"
#include "table/key_column.hpp"

namespace zerobeat::inline v1 {

namespace {

using detail::LeastSquares;
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

/// How one strand's rows were fitted.
struct Fitted {
  std::int64_t rows = 0, left_out = 0;
  bool is_solved = false;
  LeastSquares solution{};
  std::vector<double> se{};  ///< of the coefficients that are kept; none: there are no errors
  double sigma = none, r2 = none, r2_adjusted = none, f = none, p = none;
  double loglik = none, aic = none, bic = none, durbin_watson = none;

  [[nodiscard]] std::int64_t size() const { return static_cast<std::int64_t>(solution.size()); }
  [[nodiscard]] double freedom() const { return static_cast<double>(rows - size()); }
};

double two_sided_p(double t, double freedom) {
  const boost::math::students_t distribution(freedom);
  return 2 * boost::math::cdf(boost::math::complement(distribution, std::fabs(t)));
}

double f_p(double f, double terms, double freedom) {
  if (!std::isfinite(f) || f < 0 || !(terms > 0) || !(freedom > 0)) return none;
  const boost::math::fisher_f distribution(terms, freedom);
  return boost::math::cdf(boost::math::complement(distribution, f));
}

/// So many standard errors make the interval.
double width_of(const Regress& options, double freedom) {
  const boost::math::students_t distribution(freedom);
  return boost::math::quantile(distribution, 0.5 + options.level.value_or(0.95) / 2);
}

/// A square matrix of the coefficients that are kept.
using Matrix = std::vector<long double>;

Matrix inverse_of(const LeastSquares& solution) {
  const std::size_t k = solution.size();
  Matrix matrix(k * k);
  for (std::size_t i = 0; i < k; ++i) {
    for (std::size_t j = 0; j < k; ++j) matrix[i * k + j] = solution.covariance(i, j);
  }
  return matrix;
}

Matrix product(const Matrix& a, const Matrix& b, std::size_t k) {
  Matrix out(k * k);
  for (std::size_t i = 0; i < k; ++i) {
    for (std::size_t l = 0; l < k; ++l) {
      for (std::size_t j = 0; j < k; ++j) out[i * k + j] += a[i * k + l] * b[l * k + j];
    }
  }
  return out;
}

/// The covariance of the coefficients when residuals follow each other (Newey and West 1987).
Matrix autocorrelated(const Sample& sample, const Strand& strand, const Fitted& fitted,
                      std::int64_t lags) {
  const LeastSquares& solution = fitted.solution;
  const std::size_t k = solution.size();
  const auto window = static_cast<std::size_t>(std::min(lags, fitted.rows - 1));
  // The scores of the last rows, in a ring.
  std::vector<long double> ring((window + 1) * k), x(sample.columns());
  Matrix meat(k * k);
  std::size_t number = 0;
  const detail::SampleRows rows(sample);
  for (std::size_t row = strand.begin; row < strand.end; ++row) {
    if (!rows.uses(row)) continue;
    if (number % 65'536 == 0) detail::check_stopped();
    sample.put_terms(row, x);
    const long double rest =
        rows.residual(row, solution.coefficients) * static_cast<long double>(sample.weight(row));
    long double* own = ring.data() + number % (window + 1) * k;
    for (std::size_t i = 0; i < k; ++i) own[i] = rest * x[solution.kept[i]];
    for (std::size_t lag = 0; lag <= std::min(window, number); ++lag) {
      const long double* other = ring.data() + (number - lag) % (window + 1) * k;
      const long double weight =
          1 - static_cast<long double>(lag) / static_cast<long double>(lags + 1);
      for (std::size_t i = 0; i < k; ++i) {
        for (std::size_t j = 0; j < k; ++j) {
          const long double term = own[i] * other[j];
          meat[i * k + j] += weight * term;
          if (lag > 0) meat[j * k + i] += weight * term;
        }
      }
    }
    ++number;
  }
  const Matrix inverse = inverse_of(solution);
  Matrix out = product(product(inverse, meat, k), inverse, k);
  const auto n = static_cast<long double>(fitted.rows);
  for (long double& value : out) value *= n / (n - static_cast<long double>(k));
  return out;
}

/// Solves a symmetric positive system by elimination; false when it is none.
bool solve_in_place(Matrix a, std::vector<long double>& b) {
  const std::size_t n = b.size();
  for (std::size_t i = 0; i < n; ++i) {
    if (!(a[i * n + i] > 0)) return false;
    for (std::size_t l = i + 1; l < n; ++l) {
      const long double share = a[l * n + i] / a[i * n + i];
      for (std::size_t j = i; j < n; ++j) a[l * n + j] -= share * a[i * n + j];
      b[l] -= share * b[i];
    }
  }
  for (std::size_t i = n; i-- > 0;) {
    for (std::size_t j = i + 1; j < n; ++j) b[i] -= a[i * n + j] * b[j];
    b[i] /= a[i * n + i];
  }
  return true;
}

/// Wald's figure that all terms but the constant are nothing, over their number.
double wald_of(const Fitted& fitted, const Matrix& covariance, bool constant) {
  const LeastSquares& solution = fitted.solution;
  const std::size_t k = solution.size(), first = constant ? 1 : 0;
  if (k <= first) return none;
  const std::size_t terms = k - first;
  Matrix part(terms * terms);
  std::vector<long double> b(terms), x(terms);
  for (std::size_t i = 0; i < terms; ++i) {
    b[i] = x[i] = solution.coefficients[solution.kept[first + i]];
    for (std::size_t j = 0; j < terms; ++j) {
      part[i * terms + j] = covariance[(first + i) * k + first + j];
    }
  }
  if (!solve_in_place(part, x)) return none;
  long double sum = 0;
  for (std::size_t i = 0; i < terms; ++i) sum += b[i] * x[i];
  return static_cast<double>(sum / static_cast<long double>(terms));
}

/// How well it fits, but for what its errors say.
void put_fit(Fitted& fitted, const Sample& sample, long double log_weights) {
  const LeastSquares& solution = fitted.solution;
  const auto n = static_cast<double>(fitted.rows), k = static_cast<double>(fitted.size());
  const bool about_mean = sample.constant && !solution.kept.empty() && solution.kept.front() == 0;
  const long double constant = about_mean ? solution.first_explained : 0;
  const long double all = solution.y_squares - constant;
  const long double explained = solution.explained - constant;
  if (all > 0) fitted.r2 = static_cast<double>(explained / all);
  if (fitted.rows <= fitted.size()) return;
  const double freedom = n - k;
  fitted.r2_adjusted = 1 - (1 - fitted.r2) * (about_mean ? n - 1 : n) / freedom;
  fitted.sigma = static_cast<double>(std::sqrt(solution.residual_squares / freedom));
  if (solution.residual_squares == 0) return;
  const double terms = about_mean ? k - 1 : k;
  if (terms > 0) {
    fitted.f = static_cast<double>(explained / terms / (solution.residual_squares / freedom));
    fitted.p = f_p(fitted.f, terms, freedom);
  }
  const double pi = 3.14159265358979323846;
  fitted.loglik = static_cast<double>(
      -n / 2 * (std::log(2 * pi * solution.residual_squares / n) + 1) + log_weights / 2);
  fitted.aic = -2 * fitted.loglik + 2 * (k + 1);
  fitted.bic = -2 * fitted.loglik + std::log(n) * (k + 1);
}

void put_errors(Fitted& fitted, const Sample& sample, const Strand& strand,
                const Regress& options) {
  const LeastSquares& solution = fitted.solution;
  if (options.errors == Regress::Errors::plain) {
    for (std::size_t i = 0; i < solution.size(); ++i) {
      fitted.se.push_back(fitted.sigma * static_cast<double>(std::sqrt(solution.covariance(i, i))));
    }
    return;
  }
  const double usual = std::floor(4 * std::pow(static_cast<double>(fitted.rows) / 100, 2.0 / 9));
  const std::int64_t lags = options.lags.value_or(static_cast<std::int64_t>(usual));
  const Matrix covariance = autocorrelated(sample, strand, fitted, lags);
  const std::size_t k = solution.size();
  for (std::size_t i = 0; i < k; ++i) {
    fitted.se.push_back(static_cast<double>(std::sqrt(std::max(0.0L, covariance[i * k + i]))));
  }
  if (solution.residual_squares == 0) return;
  const bool about_mean = sample.constant && solution.kept.front() == 0;
  fitted.f = wald_of(fitted, covariance, about_mean);
  fitted.p = f_p(fitted.f, static_cast<double>(k) - (about_mean ? 1 : 0), fitted.freedom());
}

/// What rounding leaves of a perfect fit is nothing.
void forget_rounding(LeastSquares& solution) {
  constexpr long double least_share = 1e-15L;
  if (std::sqrt(solution.residual_squares) <= least_share * std::sqrt(solution.y_squares)) {
    solution.residual_squares = 0;
  }
}

Fitted fit(const Sample& sample, const Strand& strand, const Regress& options) {
  Fitted fitted;
  const detail::Reduced all = detail::reduced(sample, strand);
  fitted.rows = all.rows;
  fitted.left_out = static_cast<std::int64_t>(strand.size()) - all.rows;
  if (all.rows == 0) return fitted;
  fitted.solution = detail::solve(all.triangle);
  if (fitted.rows < static_cast<std::int64_t>(sample.columns()) || fitted.solution.size() == 0) {
    fitted.solution = {};
    return fitted;
  }
  forget_rounding(fitted.solution);
  fitted.is_solved = true;
  put_fit(fitted, sample, all.log_weights);
  if (fitted.rows <= fitted.size()) {
    fitted.r2 = none;
    return fitted;
  }
  put_errors(fitted, sample, strand, options);
  if (fitted.solution.residual_squares > 0) {
    fitted.durbin_watson = detail::durbin_watson(sample, strand, fitted.solution.coefficients);
  }
  return fitted;
}

/// Huber's way: least squares again and again, what is far off weighing less.
class Huber {
 public:
  Huber(const Sample& sample, const Strand& strand) : sample_(sample), strand_(strand) {}

  Fitted fit() {
    Fitted fitted;
    const detail::Reduced all = detail::reduced(sample_, strand_);
    fitted.rows = all.rows;
    fitted.left_out = static_cast<std::int64_t>(strand_.size()) - all.rows;
    if (all.rows == 0) return fitted;
    const LeastSquares plain = detail::solve(all.triangle);
    fitted.solution = plain;
    if (fitted.rows < static_cast<std::int64_t>(sample_.columns()) || plain.size() == 0) {
      fitted.solution = {};
      return fitted;
    }
    fitted.is_solved = true;
    if (fitted.rows <= fitted.size()) return fitted;
    find_residuals(plain);
    constexpr int most_rounds = 500;
    for (int round = 0; round < most_rounds; ++round) {
      detail::check_stopped();
      if (!find_scale()) break;
      put_errors(fitted, plain);
      const LeastSquares next =
          detail::solve(detail::reduced(sample_, strand_, weights()).triangle);
      const bool still = is_still(fitted, next);
      fitted.solution.coefficients = next.coefficients;
      find_residuals(next);
      if (still) break;
    }
    find_scale();
    fitted.sigma = scale_;
    put_errors(fitted, plain);
    // Of the rows, not of their last weights: what a new reading's band goes by.
    fitted.solution.inverse = plain.inverse;
    fitted.solution.residual_squares = scale_ > 0 ? 1 : 0;
    return fitted;
  }

 private:
  static constexpr double k_huber = 1.345;

  /// Of each row of the strand; NaN where it is not used.
  void find_residuals(const LeastSquares& solution) {
    residuals_.assign(strand_.size(), none);
    const detail::SampleRows rows(sample_);
    for (std::size_t row = strand_.begin; row < strand_.end; ++row) {
      if (!rows.uses(row)) continue;
      residuals_[row - strand_.begin] =
          static_cast<double>(rows.residual(row, solution.coefficients)) *
          std::sqrt(sample_.weight(row));
    }
  }

  /// The median absolute residual as a standard deviation; false when it is nothing.
  bool find_scale() {
    std::vector<double> sizes;
    for (const double rest : residuals_) {
      if (!std::isnan(rest)) sizes.push_back(std::fabs(rest));
    }
    const std::size_t middle = sizes.size() / 2;
    std::nth_element(sizes.begin(), sizes.begin() + static_cast<std::ptrdiff_t>(middle),
                     sizes.end());
    double median = sizes[middle];
    if (sizes.size() % 2 == 0) {
      median = (median + *std::max_element(sizes.begin(),
                                           sizes.begin() + static_cast<std::ptrdiff_t>(middle))) /
               2;
    }
    scale_ = median / 0.6745;
    return scale_ > 0;
  }

  std::span<const double> weights() {
    weights_.assign(residuals_.size(), 1);
    for (std::size_t i = 0; i < residuals_.size(); ++i) {
      const double size = std::fabs(residuals_[i]) / scale_;
      if (size > k_huber) weights_[i] = k_huber / size;
    }
    return weights_;
  }

  /// Huber (1981), section 7.6, his first way.
  void put_errors(Fitted& fitted, const LeastSquares& plain) const {
    double squares = 0, inside = 0;
    for (const double rest : residuals_) {
      if (std::isnan(rest)) continue;
      const double size = std::min(std::fabs(rest), k_huber * scale_);
      squares += size * size;
      inside += std::fabs(rest) <= k_huber * scale_ ? 1 : 0;
    }
    const auto n = static_cast<double>(fitted.rows), k = static_cast<double>(fitted.size());
    const double m = inside / n;
    const double correction = 1 + k / n * (1 - m) / m;
    const double variance = correction * correction * squares / (n - k) / (m * m);
    fitted.se.clear();
    for (std::size_t i = 0; i < plain.size(); ++i) {
      fitted.se.push_back(std::sqrt(variance * static_cast<double>(plain.covariance(i, i))));
    }
  }

  static bool is_still(const Fitted& fitted, const LeastSquares& next) {
    for (std::size_t i = 0; i < fitted.solution.size(); ++i) {
      const std::size_t column = fitted.solution.kept[i];
      const long double moved =
          std::fabs(next.coefficients[column] - fitted.solution.coefficients[column]);
      if (moved > 1e-9L * fitted.se[i]) return false;
    }
    return true;
  }

  const Sample& sample_;
  const Strand& strand_;
  std::vector<double> residuals_{}, weights_{};
  double scale_ = 0;
};

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
  std::string text = strand.key ? fmt::format("{}, {}: ", options.y, shown(key_text(*strand.key)))
                                : options.y + ": ";
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
    all[s] = options.how == Regress::How::huber ? Huber(sample, strand).fit()
                                                : fit(sample, strand, options);
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
