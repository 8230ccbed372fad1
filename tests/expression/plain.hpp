/// Expressions computed the plain way, row by row over their tree: the oracle of the blocks.

#pragma once

#include <catch2/catch.hpp>
#include <map>
#include <random>
#include <variant>
#include <zerobeat/expression/expression.hpp>
#include <zerobeat/time/moment.hpp>

#include "expression/syntax.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

/// A number, a truth or a text; or missing.
using Plain = std::variant<std::monostate, double, bool, std::string>;

class PlainEvaluator {
 public:
  PlainEvaluator(const Timeline& timeline, const Strand& strand)
      : timeline_(timeline), strand_(strand) {}

  void go_to(std::size_t row) { row_ = row; }

  Plain operator()(const detail::Node& node) const {
    using detail::Op;
    switch (node.op) {
      case Op::number:
        return node.number;
      case Op::truth:
        return node.number != 0;
      case Op::text:
        return node.text;
      case Op::column:
        return reading(node.text, row_);
      case Op::at_time:
      case Op::at_first:
      case Op::at_last:
        return fixed(node);
      case Op::both:
      case Op::either: {
        const Plain a = (*this)(node.args[0]), b = (*this)(node.args[1]);
        const bool decides = node.op == Op::either;
        for (const Plain& plain : {a, b}) {
          if (std::holds_alternative<bool>(plain) && std::get<bool>(plain) == decides)
            return decides;
        }
        if (missing_one(a) || missing_one(b)) return {};
        return !decides;
      }
      case Op::inverse: {
        const Plain a = (*this)(node.args[0]);
        return missing_one(a) ? Plain() : Plain(!std::get<bool>(a));
      }
      case Op::negate: {
        const Plain a = (*this)(node.args[0]);
        return missing_one(a) ? Plain() : Plain(-std::get<double>(a));
      }
      case Op::call:
        return call(node);
      default:
        break;
    }
    const Plain a = (*this)(node.args[0]), b = (*this)(node.args[1]);
    if (missing_one(a) || missing_one(b)) return {};
    if (node.op == Op::equal) return a == b;
    if (node.op == Op::unequal) return a != b;
    const double x = std::get<double>(a), y = std::get<double>(b);
    switch (node.op) {
      case Op::add:
        return finite(x + y);
      case Op::subtract:
        return finite(x - y);
      case Op::multiply:
        return finite(x * y);
      case Op::divide:
        return finite(x / y);
      case Op::power:
        return finite(y == 2 ? x * x : std::pow(x, y));
      case Op::less:
        return x < y;
      case Op::at_most:
        return x <= y;
      case Op::more:
        return x > y;
      default:
        return x >= y;
    }
  }

 private:
  static bool missing_one(const Plain& plain) {
    return std::holds_alternative<std::monostate>(plain);
  }
  static Plain finite(double x) { return std::isfinite(x) ? Plain(x) : Plain(); }

  Plain reading(const std::string& name, std::size_t row) const {
    if (name == timeline_.key_name()) return strand_.key.value_or("");
    const Column& column = timeline_.values().column(name);
    if (!column.valid(row)) return {};
    if (column.type() == Column::Type::boolean) return column.boolean(row);
    if (column.type() == Column::Type::text) return column.text(row);
    if (column.type() == Column::Type::integer) return static_cast<double>(column.integers()[row]);
    return column.numbers()[row];
  }

  Plain fixed(const detail::Node& node) const {
    const auto [at, is_new] = fixed_.try_emplace(&node);
    if (is_new) at->second = looked_up(node);
    return at->second;
  }

  Plain looked_up(const detail::Node& node) const {
    Plain found;
    std::optional<Instant> moment;
    if (node.op == detail::Op::at_time) moment = Moment(node.moment).in(timeline_.zone());
    for (std::size_t row = strand_.begin; row < strand_.end; ++row) {
      if (moment && timeline_.times()[row] > *moment) break;
      const Plain plain = reading(node.text, row);
      if (missing_one(plain)) continue;
      found = plain;
      if (node.op == detail::Op::at_first) break;
    }
    return found;
  }

  Plain call(const detail::Node& node) const {
    using detail::Function;
    const auto arg = [&](std::size_t i) { return (*this)(node.args[i]); };
    const auto& row = detail::row_of(node.function);
    if (row.block != nullptr) {
      const Plain a = arg(0);
      if (missing_one(a)) return {};
      double out = 0;
      row.block(&std::get<double>(a), &out, 1);
      return finite(out);
    }
    const auto local = timeline_.zone().local_of(timeline_.times()[row_]);
    const auto day = std::chrono::floor<std::chrono::days>(local);
    switch (node.function) {
      case Function::choose: {
        const Plain condition = arg(0);
        return missing_one(condition) ? Plain() : arg(std::get<bool>(condition) ? 1 : 2);
      }
      case Function::known:
        return !missing_one(arg(0));
      case Function::coalesce:
        for (std::size_t i = 0; i < node.args.size(); ++i) {
          if (const Plain plain = arg(i); !missing_one(plain)) return plain;
        }
        return {};
      case Function::min:
      case Function::max: {
        std::optional<double> best;
        for (std::size_t i = 0; i < node.args.size(); ++i) {
          const Plain plain = arg(i);
          if (missing_one(plain)) return {};
          const double x = std::get<double>(plain);
          const bool better = !best || (node.function == Function::min ? x < *best : x > *best);
          if (better) best = x;
        }
        return *best;
      }
      case Function::hour:
        return static_cast<double>(std::chrono::floor<std::chrono::hours>(local - day).count());
      case Function::weekday:
        return static_cast<double>(std::chrono::weekday(day).iso_encoding());
      case Function::elapsed:
        return std::chrono::duration<double>(timeline_.times()[row_] -
                                             timeline_.times()[strand_.begin])
            .count();
      case Function::row:
        return static_cast<double>(row_ - strand_.begin);
      default:
        throw std::logic_error("not in the oracle");
    }
  }

  const Timeline& timeline_;
  const Strand& strand_;
  std::size_t row_ = 0;
  mutable std::map<const detail::Node*, Plain> fixed_{};
};

/// The timeline with texts, booleans and zeros beside its numbers.
inline Timeline with_more_columns(const Timeline& timeline) {
  std::mt19937 random(5);
  Timeline::Parts parts = timeline.parts();
  std::vector<std::string> gear, home;
  Readings spring;
  for (std::size_t i = 0; i < timeline.rows(); ++i) {
    const char* const words[] = {"trawl", "pot", "", "line"};
    gear.emplace_back(words[random() % 4]);
    home.emplace_back(words[random() % 3]);
    spring.push_back(random() % 5 == 0 ? std::nullopt : std::optional(random() % 7 - 3.0));
  }
  parts.values.add("gear", texts_of(gear));
  parts.values.add("home", texts_of(home));
  parts.values.add("whole", column_of(spring));
  parts.values.add("open", evaluate("whole > 0", Timeline(parts)).column);
  return Timeline(std::move(parts));
}

/// Random expressions that are right, deep as asked.
class RandomExpressions {
 public:
  explicit RandomExpressions(unsigned seed) : random_(seed) {}

  std::string number(int depth) {
    if (depth == 0) {
      return one_of({"level", "kg", "weight", "whole", "2", "0", "-1.5", "row()", "hour()",
                     "level@first", "kg@last", "weight@2025-10-20T06:00:00Z "});
    }
    const std::string a = number(depth - 1), b = number(depth - 1);
    switch (random_() % 10) {
      case 0:
        return a + "*" + "(" + b + ")";
      case 1:
        return "(" + a + ")/(" + b + ")";
      case 2:
        return a + "-(" + b + ")";
      case 3:
        return "(" + a + ")^" + one_of({"2", "3", "0.5", "-1"});
      case 4:
        return "if(" + condition(depth - 1) + "," + a + "," + b + ")";
      case 5:
        return "coalesce(" + a + "," + b + ",0)";
      case 6:
        return "max(" + a + "," + b + ")";
      case 7:
        return one_of({"sqrt", "log", "abs", "round", "sign", "floor"}) + "(" + a + ")";
      case 8:
        return "-(" + a + ")";
      default:
        return a + "+" + b;
    }
  }

  std::string condition(int depth) {
    if (depth == 0) {
      return one_of({"open", "open@first", "true", "gear = 'pot'", "gear != home", "known(level)",
                     "home = gear", "gear@last = 'line'", "weekday() = 1"});
    }
    const std::string a = condition(depth - 1), b = condition(depth - 1);
    switch (random_() % 6) {
      case 0:
        return "(" + a + ") and (" + b + ")";
      case 1:
        return "(" + a + ") or (" + b + ")";
      case 2:
        return "not (" + a + ")";
      case 3:
        return "(" + a + ") = (" + b + ")";
      case 4:
        return "coalesce(" + a + "," + b + ")";
      default:
        break;
    }
    const std::string left = number(depth - 1), sign = one_of({"<", "<=", ">", ">=", "=", "!="});
    return left + sign + number(depth - 1);
  }

 private:
  std::string one_of(std::vector<std::string> words) { return words[random_() % words.size()]; }
  std::mt19937 random_;
};

inline void check_against_plain(const std::string& text, const Timeline& timeline) {
  const Expression expression(text);
  const Evaluated made = evaluate(expression, timeline);
  const bool numbers = made.column.type() == Column::Type::number;
  Buffer<std::uint64_t> where;
  if (!numbers) where = rows_where(expression, timeline);
  for (const Strand& strand : timeline.strands()) {
    PlainEvaluator plain(timeline, strand);
    for (std::size_t row = strand.begin; row < strand.end; ++row) {
      plain.go_to(row);
      const Plain wanted = plain(ExpressionTree::of(expression));

      Plain expected;
      if (made.column.valid(row)) {
        expected = numbers ? Plain(made.column.numbers()[row]) : Plain(made.column.boolean(row));
      }
      if (expected != wanted) {
        INFO("row " << row);
        REQUIRE(expected == wanted);
      }
      if (!numbers) REQUIRE((where[row / 64] >> (row % 64) & 1) == (wanted == Plain(true)));
    }
  }
}

}  // namespace zerobeat::testing
