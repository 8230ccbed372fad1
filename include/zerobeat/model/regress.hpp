/// Regressing: a column as a sum of terms, by least squares or by Huber's.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <array>
#include <optional>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/base/share.hpp>
#include <zerobeat/expression/expression.hpp>
#include <zerobeat/table/made.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// A term of a regression: an expression, and what it is called.
struct Term {
  std::string name{};  ///< its text, less the quotes of a column, unless it is given one
  Expression value{};

  Term() = default;
  /// Reads `[NAME=]EXPRESSION`.
  Term(std::string_view text);                                     // NOLINT: meant to convert
  Term(const std::string& text) : Term(std::string_view(text)) {}  // NOLINT
  Term(const char* text) : Term(std::string_view(text)) {}         // NOLINT

  friend bool operator==(const Term&, const Term&) = default;
};

template <>
inline constexpr bool may_repeat<std::vector<Term>> = true;

/// Reads several with commas between: commas within brackets and quotes are the expressions' own.
void from_text(std::string_view text, std::vector<Term>& out);
[[nodiscard]] std::string to_text(const std::vector<Term>& terms);

struct Regress {
  static constexpr std::string_view name = "regress";
  static constexpr std::string_view help = "a column as a sum of terms, with errors and tests";
  static constexpr std::string_view example =
      "regress tide_gauge.csv --tolerate 1% --y battery_v --x 'days=elapsed()/86400'";

  enum class How { least_squares, huber };
  enum class Errors { plain, autocorrelated };
  enum class Added { fitted, residual, low, high };

  std::string y{};        ///< must be given
  std::vector<Term> x{};  ///< must be given
  std::string weights{};  ///< a column; empty: all weigh 1
  bool no_constant = false;
  How how = How::least_squares;
  Errors errors = Errors::plain;
  std::optional<std::int64_t> lags{};  ///< of autocorrelated errors; unset: floor(4 (n/100)^(2/9))
  std::optional<double> level = 0.95;  ///< of intervals
  OutFile fit{};                       ///< where a table of how well it fits goes
  std::vector<std::string> add{};  ///< the rows themselves with these: fitted, residual, low, high

  friend bool operator==(const Regress&, const Regress&) = default;
};

[[nodiscard]] constexpr auto enum_words(Regress::How) {
  return std::array<std::string_view, 2>{"least-squares", "huber"};
}
[[nodiscard]] constexpr auto enum_words(Regress::Errors) {
  return std::array<std::string_view, 2>{"plain", "autocorrelated"};
}
[[nodiscard]] constexpr auto enum_words(Regress::Added) {
  return std::array<std::string_view, 4>{"fitted", "residual", "low", "high"};
}

template <typename Visitor, OptionsOf<Regress> O>
void fields(Visitor&& visit, O& o) {
  visit("y", o.y, "COLUMN", "what is to be explained");
  visit("x", o.x, "TERMS",
        "what explains it: expressions with commas, each [NAME=]EXPRESSION, like "
        "'days=elapsed()/86400,days^2'");
  visit("weights", o.weights, "COLUMN", "how much each row weighs; unset: all the same");
  visit("no-constant", o.no_constant, "", "the sum has no constant");
  visit("how", o.how, choices(Regress::How{}),
        "by least squares, or so that outliers weigh less (Huber)");
  visit(
      "errors", o.errors, choices(Regress::Errors{}),
      "standard errors: plain, or such as hold when residuals follow each other (Newey and West)");
  visit("lags", o.lags, "N",
        "how many rows apart residuals are looked at for those errors; unset: by the rows");
  visit("level", share_field(o.level), "SHARE", "of the intervals");
  visit("fit", o.fit, "FILE", "how well it fits goes there: R², sigma, F, criteria");
  visit("add", o.add, "WHAT",
        "instead of the table the rows themselves, with fitted, residual, low or high (those of a "
        "new reading), with commas");
}

/// A table with a row for each strand and coefficient: the key's column when there is one, `y`,
/// `term` (first `constant`), `coefficient`, `se`, `t`, `p`, `low` and `high`; with `add` the
/// timeline with columns `Y_fitted` and so on.
///
/// Rows at which y, a term or the weight is missing, or the weight is not above 0, are left out. By
/// least squares: orthogonal decomposition in extended precision (Golub 1965). By Huber (1981): k =
/// 1.345, the scale the median absolute residual / 0.6745, again until no coefficient moves by more
/// than 1e-9 of its standard error. Autocorrelated errors: Newey and West (1987), Bartlett weights,
/// times n / (n - k). Of terms that determine each other the later ones have no coefficient, and a
/// note names them. A perfect fit has no t, p and f.
///
/// `fit` is a table `y`, `rows`, `left_out`, `r2` (about the mean; about zero without a constant),
/// `r2_adjusted`, `sigma`, `f`, `p`, `loglik`, `aic`, `bic` and `durbin_watson` (1950).
///
/// Cost: some passes over the columns; memory for a column of each term that is not one.
/// Throws Error when a column is absent or not numeric, a term can't be evaluated, or options do
/// not go together.
[[nodiscard]] Made regress(const Timeline& timeline, const Regress& options);

[[nodiscard]] inline Made apply(std::span<const Timeline> in, const Regress& options) {
  return regress(in[0], options);
}
[[nodiscard]] inline bool makes_table(const Regress& options) { return options.add.empty(); }
[[nodiscard]] std::optional<std::vector<std::string>> columns_needed(const Regress& options,
                                                                     std::string_view source);
/// The whole strand on both sides.
[[nodiscard]] Reach reach(const Regress& options);

}  // namespace v1
}  // namespace zerobeat
