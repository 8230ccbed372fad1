#include <random>
#include <zerobeat/model/regress.hpp>

#include "model/certified.hpp"
#include "model/least_squares.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

Timeline rows_with(const std::vector<std::pair<std::string, Column>>& columns) {
  std::vector<Instant> times;
  for (std::size_t i = 0; i < columns[0].second.size(); ++i) {
    times.push_back(clock("00:00") + std::chrono::hours(i));
  }
  return timeline_of({times, {}, columns});
}

Table table_of(const Made& made) { return *made.table; }

double cell(const Table& table, const char* column, std::size_t row) {
  const Column values = table.column(column).as_numbers();
  return values.valid(row) ? values.numbers()[row] : std::nan("");
}

/// Digits that a value has right (NIST's log relative error).
double digits_of(double value, double certified) {
  if (value == certified) return 15;
  const double error = std::fabs(value - certified);
  return -std::log10(certified == 0 ? error : error / std::fabs(certified));
}

}  // namespace

TEST_CASE("the certified values of NIST's linear sets come out", "[regress]") {
  for (const Certified& set : certified_sets()) {
    INFO(set.name);
    std::vector<std::pair<std::string, Column>> columns{{"y", Column(set.y)}};
    Regress options{.y = "y", .x = {}, .no_constant = !set.constant, .fit = "fit.csv"};
    for (std::size_t j = 0; j < set.x.size(); ++j) {
      const std::string name = "x" + std::to_string(j + 1);
      columns.emplace_back(name, Column(set.x[j]));
      options.x.emplace_back(name);
    }
    for (int power = 2; power <= set.degree; ++power) {
      options.x.emplace_back("x1^" + std::to_string(power));
    }
    const Made made = regress(rows_with(columns), options);
    const Table table = table_of(made);
    REQUIRE(table.rows() == set.coefficients.size());
    for (std::size_t i = 0; i < table.rows(); ++i) {
      INFO("coefficient " << i << ": " << cell(table, "coefficient", i));
      CHECK(digits_of(cell(table, "coefficient", i), set.coefficients[i]) > set.digits);
      if (set.errors.empty()) continue;
      CHECK(digits_of(cell(table, "se", i), set.errors[i]) > set.digits);
      CHECK(cell(table, "t", i) == Approx(set.coefficients[i] / set.errors[i]).epsilon(1e-6));
    }
    REQUIRE(made.beside.size() == 1);
    const Table& fit = made.beside[0].table;
    CHECK(digits_of(cell(fit, "r2", 0), set.r2) > 10);
    if (set.sigma > 0) {
      CHECK(digits_of(cell(fit, "sigma", 0), set.sigma) > set.digits);
    } else {
      // A perfect fit has no t, p and f.
      CHECK(cell(fit, "sigma", 0) == 0);
      CHECK(std::isnan(cell(fit, "f", 0)));
      CHECK(std::isnan(cell(table, "t", 0)));
    }
  }
}

TEST_CASE("the fit's other figures are those of their formulas", "[regress]") {
  // Longley's F, by NIST; the criteria by hand.
  const auto sets = certified_sets();
  const auto longley = std::ranges::find_if(
      sets, [](const Certified& set) { return std::string(set.name) == "Longley"; });
  std::vector<std::pair<std::string, Column>> columns{{"y", Column(longley->y)}};
  Regress options{.y = "y", .fit = "fit.csv"};
  for (std::size_t j = 0; j < longley->x.size(); ++j) {
    columns.emplace_back("x" + std::to_string(j), Column(longley->x[j]));
    options.x.emplace_back("x" + std::to_string(j));
  }
  const Table fit = regress(rows_with(columns), options).beside[0].table;
  CHECK(cell(fit, "f", 0) == Approx(330.285339234588).epsilon(1e-12));
  const double n = 16, k = 7, rss = longley->sigma * longley->sigma * (n - k);
  const double loglik = -n / 2 * (std::log(2 * std::acos(-1.0) * rss / n) + 1);
  CHECK(cell(fit, "loglik", 0) == Approx(loglik));
  CHECK(cell(fit, "aic", 0) == Approx(-2 * loglik + 2 * (k + 1)));
  CHECK(cell(fit, "bic", 0) == Approx(-2 * loglik + std::log(n) * (k + 1)));
  CHECK(cell(fit, "r2_adjusted", 0) == Approx(1 - (1 - longley->r2) * (n - 1) / (n - k)));
  CHECK(cell(fit, "rows", 0) == 16);
  CHECK(cell(fit, "durbin_watson", 0) == Approx(2.55949).epsilon(1e-5));
}

TEST_CASE("rows that lack y, a term or a weight above nothing are left out", "[regress]") {
  const Timeline rows = rows_with({{"y", column_of({1, 3, missing, 7, 9, 50, 60})},
                                   {"x", column_of({0, 1, 2, 3, missing, 5, 6})},
                                   {"w", column_of({1, 1, 1, 1, 1, 0, -2})}});
  const Made made = regress(rows, {.y = "y", .x = {"x"}, .weights = "w", .fit = "fit.csv"});
  CHECK(cell(table_of(made), "coefficient", 0) == Approx(1));
  CHECK(cell(table_of(made), "coefficient", 1) == Approx(2));
  CHECK(cell(made.beside[0].table, "rows", 0) == 3);
  CHECK(cell(made.beside[0].table, "left_out", 0) == 4);
}

TEST_CASE("a whole weight counts like so many rows", "[regress]") {
  std::mt19937 random(3);
  std::vector<double> y, x, w, y_each, x_each;
  for (int i = 0; i < 40; ++i) {
    x.push_back(static_cast<double>(random() % 100));
    y.push_back(2 * x.back() + static_cast<double>(random() % 50));
    w.push_back(1 + static_cast<double>(random() % 4));
    for (int again = 0; again < w.back(); ++again) {
      y_each.push_back(y.back());
      x_each.push_back(x.back());
    }
  }
  const Table weighted =
      table_of(regress(rows_with({{"y", Column(y)}, {"x", Column(x)}, {"w", Column(w)}}),
                       {.y = "y", .x = {"x"}, .weights = "w"}));
  const Table each = table_of(
      regress(rows_with({{"y", Column(y_each)}, {"x", Column(x_each)}}), {.y = "y", .x = {"x"}}));
  for (std::size_t i = 0; i < 2; ++i) {
    CHECK(cell(weighted, "coefficient", i) == Approx(cell(each, "coefficient", i)));
  }
}

TEST_CASE("rows all of which are used give what rows one by one give", "[regress]") {
  std::mt19937 random(71);
  std::normal_distribution<double> normal;
  for (const std::size_t n : {5u, 64u, 191u, 192u, 193u, 1'000u}) {
    std::vector<double> y(n), a(n), b(n), ones(n, 1.0);
    for (std::size_t i = 0; i < n; ++i) {
      a[i] = normal(random);
      b[i] = i == 0 ? 0 : normal(random);
      y[i] = 3 - a[i] + 0.5 * b[i] + 0.1 * normal(random);
    }
    const Timeline rows =
        rows_with({{"y", Column(y)}, {"a", Column(a)}, {"b", Column(b)}, {"w", Column(ones)}});
    for (const bool no_constant : {false, true}) {
      const Regress plain{.y = "y", .x = {"a", "b"}, .no_constant = no_constant};
      Regress weighted = plain;
      weighted.weights = "w";
      const Table fast = table_of(regress(rows, plain)), each = table_of(regress(rows, weighted));
      for (std::size_t i = 0; i < fast.rows(); ++i) {
        CHECK(cell(fast, "coefficient", i) == Approx(cell(each, "coefficient", i)).epsilon(1e-13));
        CHECK(cell(fast, "se", i) == Approx(cell(each, "se", i)).epsilon(1e-12));
      }
    }
    // A reading that is not finite is left out of its block.
    auto broken = y;
    broken[n / 2] = std::numeric_limits<double>::infinity();
    const Made made = regress(rows_with({{"y", Column(broken)}, {"a", Column(a)}}),
                              {.y = "y", .x = {"a"}, .fit = "fit.csv"});
    CHECK(cell(made.beside[0].table, "left_out", 0) == 1);
  }
}

TEST_CASE("of terms that determine each other the later ones have no coefficient", "[regress]") {
  const Timeline rows = rows_with({{"y", column_of({1, 2, 4, 3, 6, 5})},
                                   {"a", column_of({1, 2, 3, 4, 5, 6})},
                                   {"c", column_of({7, 7, 7, 7, 7, 7})}});
  const Made made = regress(rows, {.y = "y", .x = {"a", "twice=a*2", "c", "a^2"}});
  const Table table = table_of(made);
  REQUIRE(table.rows() == 5);
  CHECK(std::isfinite(cell(table, "coefficient", 1)));
  CHECK(std::isnan(cell(table, "coefficient", 2)));
  CHECK(std::isnan(cell(table, "coefficient", 3)));
  CHECK(std::isfinite(cell(table, "coefficient", 4)));
  CHECK_THAT(made.did.notes.back(), Catch::Contains("without a coefficient: twice, c"));
}

TEST_CASE("as many rows as coefficients have coefficients only, fewer have nothing", "[regress]") {
  const Timeline two = rows_with({{"y", column_of({1, 3})}, {"x", column_of({0, 1})}});
  const Table table = table_of(regress(two, {.y = "y", .x = {"x"}}));
  CHECK(cell(table, "coefficient", 1) == Approx(2));
  CHECK(std::isnan(cell(table, "se", 1)));
  const Made one = regress(two, {.y = "y", .x = {"x", "x^3+1", "row()"}});
  CHECK(std::isnan(cell(table_of(one), "coefficient", 0)));
  CHECK_THAT(one.did.notes.back(), Catch::Contains("2 rows are too few for 4 coefficients"));
}

TEST_CASE("autocorrelated errors are Newey and West's", "[regress]") {
  std::mt19937 random(8);
  std::normal_distribution<double> normal;
  std::vector<double> y, x;
  double rest = 0;
  for (int i = 0; i < 200; ++i) {
    rest = 0.8 * rest + normal(random);
    x.push_back(i + normal(random));
    y.push_back(3 + 0.5 * x.back() + rest);
  }
  const Timeline rows = rows_with({{"y", Column(y)}, {"x", Column(x)}});
  const Table plain = table_of(regress(rows, {.y = "y", .x = {"x"}}));
  const Table table = table_of(
      regress(rows, {.y = "y", .x = {"x"}, .errors = Regress::Errors::autocorrelated, .lags = 4}));
  // By its formula, with two by two matrices.
  const double b0 = cell(plain, "coefficient", 0), b1 = cell(plain, "coefficient", 1);
  const std::size_t n = y.size();
  double sx = 0, sxx = 0;
  for (const double value : x) sx += value, sxx += value * value;
  const double det = static_cast<double>(n) * sxx - sx * sx;
  const double inverse[2][2] = {{sxx / det, -sx / det}, {-sx / det, static_cast<double>(n) / det}};
  double meat[2][2] = {};
  for (int lag = -4; lag <= 4; ++lag) {
    const double weight = 1 - std::abs(lag) / 5.0;
    for (std::size_t t = 0; t < n; ++t) {
      const auto other = static_cast<std::ptrdiff_t>(t) - lag;
      if (other < 0 || other >= static_cast<std::ptrdiff_t>(n)) continue;
      const auto o = static_cast<std::size_t>(other);
      const double product = (y[t] - b0 - b1 * x[t]) * (y[o] - b0 - b1 * x[o]);
      const double a[2] = {1, x[t]}, b[2] = {1, x[o]};
      for (int i = 0; i < 2; ++i) {
        for (int j = 0; j < 2; ++j) meat[i][j] += weight * product * a[i] * b[j];
      }
    }
  }
  for (int i = 0; i < 2; ++i) {
    double variance = 0;
    for (int k = 0; k < 2; ++k) {
      for (int l = 0; l < 2; ++l) variance += inverse[i][k] * meat[k][l] * inverse[l][i];
    }
    variance *= static_cast<double>(n) / static_cast<double>(n - 2);
    CHECK(cell(table, "se", static_cast<std::size_t>(i)) == Approx(std::sqrt(variance)));
    CHECK(cell(table, "se", static_cast<std::size_t>(i)) >
          1.5 * cell(plain, "se", static_cast<std::size_t>(i)));
  }
}

TEST_CASE("Huber's way is not drawn off by outliers", "[regress]") {
  std::mt19937 random(21);
  std::normal_distribution<double> normal;
  std::vector<double> y, x;
  for (int i = 0; i < 300; ++i) {
    x.push_back(i);
    y.push_back(5 + 0.25 * i + normal(random) + (i % 17 == 0 ? 400 : 0));
  }
  const Timeline rows = rows_with({{"y", Column(y)}, {"x", Column(x)}});
  const Made made =
      regress(rows, {.y = "y", .x = {"x"}, .how = Regress::How::huber, .fit = "fit.csv"});
  const double b0 = cell(table_of(made), "coefficient", 0),
               b1 = cell(table_of(made), "coefficient", 1);
  CHECK(b1 == Approx(0.25).margin(0.004));
  CHECK(b0 == Approx(5).margin(0.5));
  // Its own equations hold: the sum of psi times each term is nothing.
  std::vector<double> sizes;
  for (std::size_t i = 0; i < y.size(); ++i) sizes.push_back(std::fabs(y[i] - b0 - b1 * x[i]));
  std::ranges::sort(sizes);
  const double scale = (sizes[149] + sizes[150]) / 2 / 0.6745;
  CHECK(cell(made.beside[0].table, "sigma", 0) == Approx(scale));
  double sums[2] = {}, all = 0;
  for (std::size_t i = 0; i < y.size(); ++i) {
    const double psi = std::clamp((y[i] - b0 - b1 * x[i]) / scale, -1.345, 1.345);
    sums[0] += psi;
    sums[1] += psi * x[i];
    all += std::fabs(psi) * x[i];
  }
  CHECK(std::fabs(sums[0]) < 1e-5);
  CHECK(std::fabs(sums[1]) < 1e-6 * all);
  CHECK(std::isnan(cell(made.beside[0].table, "r2", 0)));
}

TEST_CASE("with add the rows come out with what was fitted, where y is missing, too", "[regress]") {
  const Timeline rows = rows_with(
      {{"y", column_of({1, 3.5, missing, 7, 8.5})}, {"x", column_of({0, 1, 2, 3, missing})}});
  const Made made =
      regress(rows, {.y = "y", .x = {"x"}, .add = {"fitted", "residual", "low", "high"}});
  REQUIRE(made.timeline);
  CHECK(made.timeline->values().names() ==
        std::vector<std::string>{"y", "x", "y_fitted", "y_residual", "y_low", "y_high"});
  const auto value = [&](const char* name, std::size_t row) {
    const Column column = made.timeline->values().column(name);
    return column.valid(row) ? column.numbers()[row] : std::nan("");
  };
  CHECK(value("y_fitted", 0) + value("y_residual", 0) == Approx(1));
  CHECK(std::isfinite(value("y_fitted", 2)));
  CHECK(std::isnan(value("y_residual", 2)));
  CHECK(value("y_low", 2) < value("y_fitted", 2));
  CHECK(value("y_high", 2) - value("y_fitted", 2) ==
        Approx(value("y_fitted", 2) - value("y_low", 2)));
  CHECK(std::isnan(value("y_fitted", 4)));
}

TEST_CASE("terms read as they are written", "[regress]") {
  std::vector<Term> terms;
  from_text("days=elapsed()/86400, days^2,coalesce(a,b),\"a b\",\"odd name\"=a+1", terms);
  REQUIRE(terms.size() == 5);
  std::vector<std::string> names;
  for (const Term& term : terms) names.push_back(term.name);
  CHECK(names == std::vector<std::string>{"days", "days^2", "coalesce(a,b)", "a b", "odd name"});
  std::vector<Term> again;
  from_text(to_text(terms), again);
  CHECK(again == terms);
  CHECK_THROWS_WITH(from_text("a,,b", terms), Catch::Contains("has no expression"));
  CHECK(Term("(a = 3)").name == "(a = 3)");
}

TEST_CASE("what does not go together is refused by name", "[regress]") {
  const Timeline rows = rows_with({{"y", column_of({1, 2})}, {"x", column_of({0, 1})}});
  CHECK_THROWS_WITH(regress(rows, {}), Catch::Contains("‹y› COLUMN"));
  CHECK_THROWS_WITH(regress(rows, {.y = "y", .x = {"x"}, .lags = 3}),
                    Catch::Contains("‹errors› autocorrelated"));
  CHECK_THROWS_WITH(regress(rows, {.y = "y", .x = {"x", "x"}}), Catch::Contains("two terms"));
  CHECK_THROWS_WITH(regress(rows, {.y = "y", .x = {"z+1"}}), Catch::Contains("z"));
  CHECK_THROWS_WITH(regress(rows, {.y = "y", .x = {"x"}, .add = {"fited"}}),
                    Catch::Contains("fitted"));
  CHECK_THROWS_WITH(regress(rows, {.y = "y", .x = {"x"}, .level = 1.5}),
                    Catch::Contains("‹level› 1.5"));
}

TEST_CASE("triangles of parts merge into that of the whole", "[regress]") {
  std::mt19937 random(2);
  std::normal_distribution<double> normal;
  const std::size_t columns = 4, rows = 57;
  std::vector<long double> values(columns * rows);
  for (auto& value : values) value = normal(random);
  detail::Triangle whole(columns), parts(columns);
  auto block = values;
  whole.add(block, rows, rows);
  for (std::size_t from = 0; from < rows; from += 10) {
    const std::size_t count = std::min<std::size_t>(10, rows - from);
    std::vector<long double> part(columns * count);
    for (std::size_t j = 0; j < columns; ++j) {
      for (std::size_t i = 0; i < count; ++i) part[j * count + i] = values[j * rows + from + i];
    }
    detail::Triangle own(columns);
    own.add(part, count, count);
    parts.merge(own);
  }
  for (std::size_t i = 0; i < columns; ++i) {
    for (std::size_t j = i; j < columns; ++j) {
      CHECK(std::fabs(static_cast<double>(parts(i, j))) ==
            Approx(std::fabs(static_cast<double>(whole(i, j)))).epsilon(1e-15));
    }
  }
}

}  // namespace zerobeat::testing
