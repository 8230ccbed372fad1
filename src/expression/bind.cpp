#include <fmt/format.h>

#include <algorithm>
#include <unordered_map>
#include <zerobeat/base/text.hpp>
#include <zerobeat/time/moment.hpp>

#include "expression/program.hpp"

namespace zerobeat::inline v1::detail {

namespace {

std::string_view sign_of(Op op) {
  switch (op) {
    case Op::equal:
      return "=";
    case Op::unequal:
      return "!=";
    case Op::less:
      return "<";
    case Op::at_most:
      return "<=";
    case Op::more:
      return ">";
    case Op::at_least:
      return ">=";
    case Op::both:
      return "and";
    case Op::either:
      return "or";
    case Op::inverse:
      return "not";
    case Op::add:
      return "+";
    case Op::multiply:
      return "*";
    case Op::divide:
      return "/";
    case Op::power:
      return "^";
    default:
      return "-";
  }
}

std::string_view what_is(Kind kind) {
  switch (kind) {
    case Kind::number:
      return "a number";
    case Kind::truth:
      return "a condition";
    case Kind::text:
      break;
  }
  return "a text";
}

class Binder {
 public:
  Binder(std::string_view text, const Timeline& timeline, const Table& values)
      : text_(text), timeline_(timeline), values_(values) {}

  Program bind(const Node& root) {
    program_.result = compile(root);
    if (program_.result == Kind::text) {
      fail(root, "a text is no result; texts are compared, with = and !=");
    }
    return std::move(program_);
  }

 private:
  /// What the texts of a slot are.
  struct Texts {
    const Column::Dictionary* dictionary = nullptr;
    bool is_constant = false;
    std::string constant{};
  };

  [[noreturn]] void fail(const Node& node, const std::string& what) const {
    fail_at(text_, node.at, what);
  }

  Instruction& emit(Code code, std::size_t slot) {
    Instruction& instruction = program_.instructions.emplace_back();
    instruction.code = code;
    instruction.slot = static_cast<std::uint32_t>(slot);
    return instruction;
  }

  /// A new slot on top of the others.
  std::size_t push() {
    const std::size_t slot = used_++;
    program_.slots = std::max(program_.slots, used_);
    texts_.resize(std::max(texts_.size(), used_));
    texts_[slot] = {};
    return slot;
  }

  Kind compile(const Node& node) {
    switch (node.op) {
      case Op::number:
        emit(Code::put_number, push()).number = node.number;
        return Kind::number;
      case Op::truth:
        emit(Code::put_truth, push()).number = node.number;
        return Kind::truth;
      case Op::text:
        texts_[push()] = {nullptr, true, node.text};
        return Kind::text;
      case Op::column:
      case Op::at_time:
      case Op::at_first:
      case Op::at_last:
        return compile_column(node);
      case Op::negate:
        need(node.args[0], Kind::number, "- is of a number");
        emit(Code::negate, used_ - 1);
        return Kind::number;
      case Op::add:
      case Op::subtract:
      case Op::multiply:
      case Op::divide:
      case Op::power:
        return compile_arithmetic(node);
      case Op::both:
      case Op::either:
        return compile_logic(node);
      case Op::inverse:
        need(node.args[0], Kind::truth, "not is of a condition");
        emit(Code::inverse, used_ - 1);
        return Kind::truth;
      case Op::call:
        return compile_call(node);
      default:
        return compile_comparison(node);
    }
  }

  /// Compiles what must be of a kind.
  void need(const Node& node, Kind wanted, const std::string& why) {
    const Kind kind = compile(node);
    if (kind == wanted) return;
    std::string hint;
    if (wanted == Kind::number && kind == Kind::truth) hint = "; if(condition,1,0) makes it one";
    if (wanted == Kind::truth && kind == Kind::number) hint = "; compare it, like x > 0";
    fail(node, fmt::format("{}; this is {}{}", why, what_is(kind), hint));
  }

  void emit_pair(Code code, Op op) {
    --used_;
    emit(code, used_ - 1).op = op;
  }

  Kind compile_arithmetic(const Node& node) {
    const std::string why = fmt::format("{} is between numbers", sign_of(node.op));
    need(node.args[0], Kind::number, why);
    need(node.args[1], Kind::number, why);
    emit_pair(Code::arithmetic, node.op);
    return Kind::number;
  }

  Kind compile_logic(const Node& node) {
    const std::string why = fmt::format("{} is between conditions", sign_of(node.op));
    need(node.args[0], Kind::truth, why);
    need(node.args[1], Kind::truth, why);
    emit_pair(node.op == Op::both ? Code::both : Code::either, node.op);
    return Kind::truth;
  }

  Kind compile_comparison(const Node& node) {
    const Kind a = compile(node.args[0]);
    const Kind b = compile(node.args[1]);
    if (a != b) {
      fail(node, fmt::format("{} compares {} with {}{}", sign_of(node.op), what_is(a), what_is(b),
                             a == Kind::text || b == Kind::text
                                 ? "; texts stand in single quotes, columns in double ones"
                                 : ""));
    }
    const bool equality = node.op == Op::equal || node.op == Op::unequal;
    if (a != Kind::number && !equality) {
      fail(node, fmt::format("{} is between numbers; {} is compared with = and != alone",
                             sign_of(node.op), what_is(a)));
    }
    if (a == Kind::text) return compare_texts(node.op);
    emit_pair(a == Kind::number ? Code::compare : Code::compare_truth, node.op);
    return Kind::truth;
  }

  Kind compare_texts(Op op) {
    const Texts a = texts_[used_ - 2], b = texts_[used_ - 1];
    --used_;
    if (a.is_constant && b.is_constant) {
      emit(Code::put_truth, used_ - 1).number = (a.constant == b.constant) == (op == Op::equal);
      return Kind::truth;
    }
    Instruction instruction;
    instruction.op = op;
    if (a.is_constant || b.is_constant) {
      const auto& words = a.is_constant ? *b.dictionary : *a.dictionary;
      const auto& wanted = a.is_constant ? a.constant : b.constant;
      const auto at = std::ranges::find(words, wanted);
      instruction.constant = at == words.end() ? -1 : static_cast<std::int32_t>(at - words.begin());
      // Of a constant nothing was put into its slot: the column is brought to the first.
      if (a.is_constant) program_.instructions.back().slot = static_cast<std::uint32_t>(used_ - 1);
    } else {
      std::unordered_map<std::string_view, std::int32_t> code_of;
      for (std::size_t i = 0; i < a.dictionary->size(); ++i) {
        code_of.emplace((*a.dictionary)[i], static_cast<std::int32_t>(i));
      }
      auto& codes = program_.codes.emplace_back();
      for (const auto& word : *b.dictionary) {
        const auto known = code_of.find(word);
        codes.push_back(known == code_of.end() ? -1 : known->second);
      }
      instruction.list = static_cast<std::uint32_t>(program_.codes.size() - 1);
      instruction.with_list = true;
    }
    Instruction& put = emit(Code::compare_text, used_ - 1);
    put.op = instruction.op;
    put.constant = instruction.constant;
    put.list = instruction.list;
    put.with_list = instruction.with_list;
    return Kind::truth;
  }

  Kind compile_call(const Node& node) {
    const FunctionRow& row = row_of(node.function);
    if (row.block != nullptr) {
      need(node.args[0], Kind::number, fmt::format("{} is of a number", row.word));
      emit(Code::apply, used_ - 1).block = row.block;
      return Kind::number;
    }
    switch (node.function) {
      case Function::min:
      case Function::max: {
        const std::string why = fmt::format("{} is of numbers", row.word);
        need(node.args[0], Kind::number, why);
        for (std::size_t i = 1; i < node.args.size(); ++i) {
          need(node.args[i], Kind::number, why);
          emit_pair(node.function == Function::min ? Code::smaller : Code::larger, Op::call);
        }
        return Kind::number;
      }
      case Function::choose: {
        need(node.args[0], Kind::truth, "if begins with a condition");
        const Kind kind = compile(node.args[1]);
        need_same(node.args[2], kind, node.args[1], "the two branches of if are of one kind");
        used_ -= 2;
        emit(Code::choose, used_ - 1).kind = kind;
        return kind;
      }
      case Function::known: {
        const Kind kind = compile(node.args[0]);
        if (kind == Kind::text && texts_[used_ - 1].is_constant) {
          emit(Code::put_truth, used_ - 1).number = 1;
        } else {
          emit(Code::known, used_ - 1).kind = kind;
        }
        return Kind::truth;
      }
      case Function::coalesce: {
        const Kind kind = compile(node.args[0]);
        need_no_text(node.args[0], kind);
        for (std::size_t i = 1; i < node.args.size(); ++i) {
          need_same(node.args[i], kind, node.args[0], "coalesce is of one kind");
          emit_pair(Code::coalesce, Op::call);
          program_.instructions.back().kind = kind;
        }
        return kind;
      }
      case Function::elapsed:
        emit(Code::put_elapsed, push());
        return Kind::number;
      case Function::row:
        emit(Code::put_row, push());
        return Kind::number;
      default:
        if (!timeline_.axis().is_instants()) {
          fail(node, fmt::format("{}() is of a clock; the times here are {}", row.word,
                                 to_text(timeline_.axis())));
        }
        emit(Code::put_clock, push()).function = node.function;
        return Kind::number;
    }
  }

  void need_no_text(const Node& node, Kind kind) const {
    if (kind == Kind::text) {
      fail(node, "a text is no result; texts are compared, with = and !=");
    }
  }

  void need_same(const Node& node, Kind wanted, const Node& first, const std::string& why) {
    need_no_text(first, wanted);
    const Kind kind = compile(node);
    if (kind != wanted) {
      fail(node,
           fmt::format("{}: the first is {}, this is {}", why, what_is(wanted), what_is(kind)));
    }
  }

  /// Which of the key's columns a name is.
  std::optional<std::size_t> key_place(const std::string& name) const {
    const auto names = timeline_.key_names();
    const auto at = std::ranges::find(names, name);
    if (at == names.end()) return std::nullopt;
    return static_cast<std::size_t>(at - names.begin());
  }

  /// That column's value of each strand.
  const Column::Dictionary& keys_of(std::size_t place) {
    if (keys_.empty()) keys_.resize(timeline_.key_names().size());
    auto& keys = keys_[place];
    if (keys.empty()) {
      for (const Strand& strand : timeline_.strands()) {
        keys.push_back(key_parts(strand.key.value_or(""))[place]);
      }
    }
    return keys;
  }

  Kind compile_column(const Node& node) {
    if (const auto place = values_.find(node.text)) return put(node, values_.columns()[*place]);
    if (const auto key = key_place(node.text)) {
      emit(Code::put_key, push());
      texts_[used_ - 1].dictionary = &keys_of(*key);
      return Kind::text;
    }
    if (node.text == timeline_.time_name()) {
      fail(node,
           "the time is no reading; year(), month() … weekday() are its parts, elapsed() the "
           "seconds since the strand's first row, and select ‹between› chooses by it");
    }
    std::vector<std::string> names = values_.names();
    for (const auto& name : timeline_.key_names()) names.push_back(name);
    // "pot" for 'pot', and pressure for "pressure (hPa)".
    if (text_[node.at] == '"') {
      fail(node, fmt::format("there is no column {0}{1}; a text stands in single quotes: '{0}'",
                             shown(node.text), did_you_mean(node.text, names)));
    }
    for (const auto& name : names) {
      if (!name.starts_with(node.text) || is_word(name)) continue;
      fail(node, fmt::format("there is no column {}; a name that is no word stands in double "
                             "quotes: \"{}\"",
                             shown(node.text), shown(name)));
    }
    fail(node,
         fmt::format("there is no column {}{}", shown(node.text), did_you_mean(node.text, names)));
  }

  Kind put(const Node& node, const Column& column) {
    Kind kind = Kind::number;
    if (column.type() == Column::Type::boolean) kind = Kind::truth;
    if (column.type() == Column::Type::text) kind = Kind::text;
    if (column.type() == Column::Type::time) {
      fail(node, fmt::format("column {} holds times, which are no numbers", shown(node.text)));
    }
    const std::size_t slot = push();
    if (kind == Kind::text) texts_[slot].dictionary = &column.dictionary();
    const auto place = static_cast<std::uint32_t>(program_.columns.size());
    program_.columns.push_back(column);
    if (node.op == Op::column) {
      Instruction& instruction = emit(Code::put_column, slot);
      instruction.column = place;
      instruction.kind = kind;
      return kind;
    }
    program_.rows.push_back(fixed_rows(node, column));
    Instruction& instruction = emit(Code::put_fixed, slot);
    instruction.column = place;
    instruction.kind = kind;
    instruction.list = static_cast<std::uint32_t>(program_.rows.size() - 1);
    return kind;
  }

  /// Of each strand the row whose reading stood at the time, or is its first or last.
  std::vector<std::int64_t> fixed_rows(const Node& node, const Column& column) const {
    std::optional<Instant> moment;
    if (node.op == Op::at_time) moment = moment_of(node);
    std::vector<std::int64_t> rows;
    const auto times = timeline_.times();
    for (const Strand& strand : timeline_.strands()) {
      std::int64_t row = -1;
      if (node.op == Op::at_first) {
        for (std::size_t i = strand.begin; i < strand.end && row < 0; ++i) {
          if (column.valid(i)) row = static_cast<std::int64_t>(i);
        }
      } else {
        std::size_t end = strand.end;
        if (moment) {
          const auto stretch = times.subspan(strand.begin, strand.size());
          end = strand.begin + static_cast<std::size_t>(std::ranges::upper_bound(stretch, *moment) -
                                                        stretch.begin());
        }
        while (end > strand.begin && !column.valid(end - 1)) --end;
        if (end > strand.begin) row = static_cast<std::int64_t>(end) - 1;
      }
      rows.push_back(row);
    }
    return rows;
  }

  Instant moment_of(const Node& node) const {
    if (!timeline_.axis().is_instants()) {
      const auto read = read_elapsed(node.moment, *timeline_.axis().elapsed);
      if (!read) {
        fail(node, fmt::format("@{}: the times here are {}, numbers since a zero", node.moment,
                               to_text(timeline_.axis())));
      }
      return *read;
    }
    try {
      return Moment(node.moment).in(timeline_.zone());
    } catch (const Error& error) {
      fail(node, fmt::format("@{}: {}", shown(node.moment), error.what()));
    }
  }

  std::string_view text_;
  const Timeline& timeline_;
  const Table& values_;
  Program program_;
  std::vector<Texts> texts_;
  std::vector<Column::Dictionary> keys_;  // of each of the key's columns, by strand
  std::size_t used_ = 0;
};

}  // namespace

Program bind_expression(const Expression& expression, const Timeline& timeline,
                        const Table& values) {
  if (expression.empty()) fail_usage("there is no expression");
  return Binder(expression.text(), timeline, values).bind(ExpressionTree::of(expression));
}

}  // namespace zerobeat::detail
