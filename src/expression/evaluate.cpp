#include <algorithm>
#include <atomic>
#include <cmath>
#include <stdexcept>

#include "base/parallel.hpp"
#include "expression/program.hpp"
#include "expression/slot.hpp"
#include "time/civil_reader.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1 {

namespace detail {

namespace {

/// Works through the instructions on one block after the other, in order.
class Evaluator {
 public:
  Evaluator(const Program& program, const Timeline& timeline, std::size_t first_row)
      : program_(program), timeline_(timeline), slots_(program.slots), civil_(timeline.zone()) {
    const auto strands = timeline.strands();
    const auto at = std::ranges::upper_bound(strands, first_row, {}, &Strand::end);
    strand_ = static_cast<std::size_t>(at - strands.begin());
  }

  /// The result of the rows [from, from + rows), `from` at a block's start.
  Slot& run(std::size_t from, std::size_t rows) {
    from_ = from;
    rows_ = rows;
    met_.fill(false);
    while (timeline_.strands()[strand_].end <= from) ++strand_;
    for (const Instruction& instruction : program_.instructions) perform(instruction);
    if (program_.result == Kind::number) settle(slots_[0], met_, rows_);
    clear_tail(slots_[0].there(), rows_);
    clear_tail(met_, rows_);
    return slots_[0];
  }

  /// How many results of the block are missing where a number that is not finite was met.
  std::int64_t not_finite() const {
    std::int64_t count = 0;
    for (std::size_t w = 0; w * 64 < rows_; ++w) {
      count += std::popcount(met_.words[w] & ~slots_[0].there().words[w]);
    }
    return count;
  }

 private:
  void perform(const Instruction& instruction) {
    Slot& a = slots_[instruction.slot];
    switch (instruction.code) {
      case Code::put_number:
        return a.put_constant(instruction.number);
      case Code::put_truth:
        a.truths().fill(instruction.number != 0);
        return a.there().fill(true);
      case Code::put_column:
        return put_column(a, instruction);
      case Code::put_fixed:
        return put_fixed(a, instruction);
      case Code::put_key:
        return put_key(a);
      case Code::put_clock:
        return put_clock(a, instruction.function);
      case Code::put_elapsed:
        return for_each_row(a, [&](std::size_t row, std::size_t first) {
          return seconds_between(timeline_.times()[first], timeline_.times()[row]);
        });
      case Code::put_row:
        return for_each_row(
            a, [](std::size_t row, std::size_t first) { return static_cast<double>(row - first); });
      case Code::negate:
        return negate(a);
      case Code::arithmetic:
        return do_arithmetic(a, slots_[instruction.slot + 1], instruction.op);
      case Code::apply:
        return apply(a, instruction.block);
      case Code::smaller:
        settle_both(a, slots_[instruction.slot + 1]);
        return combine(a, slots_[instruction.slot + 1], rows_, false,
                       [](double x, double y) { return y < x ? y : x; });
      case Code::larger:
        settle_both(a, slots_[instruction.slot + 1]);
        return combine(a, slots_[instruction.slot + 1], rows_, false,
                       [](double x, double y) { return y > x ? y : x; });
      case Code::compare:
        return compare(a, slots_[instruction.slot + 1], instruction.op);
      case Code::compare_truth:
        return compare_truth(a, slots_[instruction.slot + 1], instruction.op);
      case Code::compare_text:
        return compare_text(instruction);
      case Code::both:
        return decide(a, slots_[instruction.slot + 1], true);
      case Code::either:
        return decide(a, slots_[instruction.slot + 1], false);
      case Code::inverse:
        for (auto& word : a.truths().words) word = ~word;
        return;
      case Code::choose:
        return choose(a, slots_[instruction.slot + 1], slots_[instruction.slot + 2],
                      instruction.kind);
      case Code::known:
        if (instruction.kind == Kind::number) settle(a, met_, rows_);
        a.truths() = a.there();
        return a.there().fill(true);
      case Code::coalesce:
        return coalesce(a, slots_[instruction.slot + 1], instruction.kind);
    }
  }

  const std::uint64_t* words_of(const std::uint64_t* bits) const {
    return bits == nullptr ? nullptr : bits + from_ / 64;
  }

  void put_column(Slot& a, const Instruction& instruction) {
    const Column& column = program_.columns[instruction.column];
    const std::uint64_t* const there = words_of(column.validity().bits());
    switch (column.type()) {
      case Column::Type::number:
        return a.put_numbers(column.numbers().data() + from_, there, rows_);
      case Column::Type::integer: {
        const std::int64_t* const whole = column.integers().data() + from_;
        double* const out = a.next();
        for (std::size_t i = 0; i < rows_; ++i) out[i] = static_cast<double>(whole[i]);
        return a.put_numbers(out, there, rows_);
      }
      case Column::Type::boolean:
        a.truths().copy(column.boolean_bits() + from_ / 64, rows_);
        return a.there().copy(there, rows_);
      case Column::Type::text: {
        const std::int32_t* const codes = column.codes().data() + from_;
        std::copy(codes, codes + rows_, a.codes());
        return a.there().copy(there, rows_);
      }
      case Column::Type::time:
        throw std::logic_error("times are no operand");
    }
  }

  /// Calls work(first row of the strand, strand, from, until) for each strand's part of the block.
  template <typename Work>
  void for_each_part(Work&& work) {
    std::size_t strand = strand_;
    for (std::size_t row = from_; row < from_ + rows_; ++strand) {
      const Strand& its_strand = timeline_.strands()[strand];
      const std::size_t until = std::min(from_ + rows_, its_strand.end);
      if (until > row) work(its_strand.begin, strand, row, until);
      row = std::max(row, until);
    }
  }

  template <typename Of>
  void for_each_row(Slot& a, Of&& of) {
    double* const out = a.next();
    for_each_part([&](std::size_t first, std::size_t, std::size_t from, std::size_t until) {
      for (std::size_t row = from; row < until; ++row) out[row - from_] = of(row, first);
    });
    a.put_numbers(out, nullptr, rows_);
  }

  static void set_range(Mask& mask, std::size_t from, std::size_t until, bool to) {
    for (std::size_t i = from; i < until;) {
      const std::size_t word = i / 64, end = std::min(until, (word + 1) * 64);
      const std::uint64_t bits =
          (end - i == 64 ? ~std::uint64_t{0} : ((std::uint64_t{1} << (end - i)) - 1)) << (i % 64);
      if (to) {
        mask.words[word] |= bits;
      } else {
        mask.words[word] &= ~bits;
      }
      i = end;
    }
  }

  void put_fixed(Slot& a, const Instruction& instruction) {
    const Column& column = program_.columns[instruction.column];
    const auto& rows = program_.rows[instruction.list];
    double* const out = instruction.kind == Kind::number ? a.next() : nullptr;
    Mask there;
    there.fill(true);
    for_each_part([&](std::size_t, std::size_t strand, std::size_t from, std::size_t until) {
      const std::int64_t row = rows[strand];
      from -= from_;
      until -= from_;
      if (row < 0) {
        set_range(there, from, until, false);
        if (out != nullptr) std::fill(out + from, out + until, 0.0);
        if (instruction.kind == Kind::text) std::fill(a.codes() + from, a.codes() + until, 0);
        return;
      }
      const auto at = static_cast<std::size_t>(row);
      if (instruction.kind == Kind::number) {
        const double number = column.type() == Column::Type::integer
                                  ? static_cast<double>(column.integers()[at])
                                  : column.numbers()[at];
        std::fill(out + from, out + until, number);
      } else if (instruction.kind == Kind::truth) {
        set_range(a.truths(), from, until, column.boolean(at));
      } else {
        std::fill(a.codes() + from, a.codes() + until, column.codes()[at]);
      }
    });
    if (out != nullptr) a.put_numbers(out, nullptr, rows_);
    a.there() = there;
  }

  void put_key(Slot& a) {
    for_each_part([&](std::size_t, std::size_t strand, std::size_t from, std::size_t until) {
      std::fill(a.codes() + (from - from_), a.codes() + (until - from_),
                static_cast<std::int32_t>(strand));
    });
    a.there().fill(true);
  }

  void put_clock(Slot& a, Function part) {
    switch (part) {
      case Function::year:
        return read_clock(a, 86'400, [](const CivilReader& civil) { return civil.year(); });
      case Function::month:
        return read_clock(a, 86'400, [](const CivilReader& civil) { return civil.month(); });
      case Function::day:
        return read_clock(a, 86'400, [](const CivilReader& civil) { return civil.day(); });
      case Function::hour:
        return read_clock(a, 3'600, [](const CivilReader& civil) { return civil.hour(); });
      case Function::minute:
        return read_clock(a, 60, [](const CivilReader& civil) { return civil.minute(); });
      case Function::second:
        return read_clock(a, 1, [](const CivilReader& civil) { return civil.second(); });
      case Function::weekday:
        return read_clock(a, 86'400, [](const CivilReader& civil) { return civil.weekday(); });
      case Function::yearday:
        return read_clock(a, 86'400, [](const CivilReader& civil) { return civil.yearday(); });
      default:
        throw std::logic_error("a function of no clock");
    }
  }

  /// A part that stays the same for `unit` seconds is read once for the rows within them.
  template <typename Of>
  void read_clock(Slot& a, std::int64_t unit, Of&& of) {
    const auto times = timeline_.times().subspan(from_, rows_);
    double* const out = a.next();
    CivilReader::Same same;
    double value = 0;
    for (std::size_t i = 0; i < rows_; ++i) {
      if (times[i] < same.from || times[i] >= same.until) {
        civil_.go_to(times[i]);
        value = static_cast<double>(of(civil_));
        same = civil_.same(unit);
      }
      out[i] = value;
    }
    a.put_numbers(out, nullptr, rows_);
  }

  void negate(Slot& a) {
    if (a.is_constant()) return a.set_constant(-a.constant(), a.is_open());
    const double* const x = a.numbers();
    double* const out = a.next();
    for (std::size_t i = 0; i < rows_; ++i) out[i] = -x[i];
    a.hold(out, a.is_open());
  }

  /// A square is the product, to its last digit, also where the exponent is a column's.
  static double raised(double x, double y) { return y == 2 ? x * x : std::pow(x, y); }

  /// What is not finite stays so through + - and *, and in what is divided; elsewhere it could
  /// vanish, and is looked for before.
  void do_arithmetic(Slot& a, Slot& b, Op op) {
    switch (op) {
      case Op::add:
        return combine(a, b, rows_, true, [](double x, double y) { return x + y; });
      case Op::subtract:
        return combine(a, b, rows_, true, [](double x, double y) { return x - y; });
      case Op::multiply:
        return combine(a, b, rows_, true, [](double x, double y) { return x * y; });
      case Op::divide:
        settle(b, met_, rows_);
        return combine(a, b, rows_, true, [](double x, double y) { return x / y; });
      default:
        settle_both(a, b);
        if (b.is_constant() && b.constant() == 2) {
          return combine(a, b, rows_, true, [](double x, double) { return x * x; });
        }
        return combine(a, b, rows_, true, raised);
    }
  }

  void apply(Slot& a, BlockOf block) {
    settle(a, met_, rows_);
    if (a.is_constant()) {
      const double in = a.constant();
      double out = 0;
      block(&in, &out, 1);
      return a.set_constant(out, !std::isfinite(out));
    }
    const double* const x = a.numbers();
    double* const out = a.next();
    block(x, out, rows_);
    a.hold(out, true);
  }

  void settle_both(Slot& a, Slot& b) {
    settle(a, met_, rows_);
    settle(b, met_, rows_);
  }

  template <typename Of>
  void compare_by(Slot& a, Slot& b, Of&& of) {
    if (b.is_constant()) {
      bits_of(a.numbers(rows_), b.constant(), rows_, a.truths(), of);
    } else {
      bits_of(a.numbers(rows_), b.numbers(), rows_, a.truths(), of);
    }
    meet(a, b);
  }

  void compare(Slot& a, Slot& b, Op op) {
    settle_both(a, b);
    switch (op) {
      case Op::equal:
        return compare_by(a, b, [](double x, double y) { return x == y; });
      case Op::unequal:
        return compare_by(a, b, [](double x, double y) { return x != y; });
      case Op::less:
        return compare_by(a, b, [](double x, double y) { return x < y; });
      case Op::at_most:
        return compare_by(a, b, [](double x, double y) { return x <= y; });
      case Op::more:
        return compare_by(a, b, [](double x, double y) { return x > y; });
      default:
        return compare_by(a, b, [](double x, double y) { return x >= y; });
    }
  }

  static void compare_truth(Slot& a, const Slot& b, Op op) {
    for (std::size_t w = 0; w < block_words; ++w) {
      const std::uint64_t differ = a.truths().words[w] ^ b.truths().words[w];
      a.truths().words[w] = op == Op::equal ? ~differ : differ;
    }
    meet(a, b);
  }

  void compare_text(const Instruction& instruction) {
    Slot& a = slots_[instruction.slot];
    const std::int32_t* const x = a.codes();
    const bool equal = instruction.op == Op::equal;
    const auto put = [&](auto&& same) {
      for (std::size_t w = 0; w * 64 < rows_; ++w) {
        std::uint64_t word = 0;
        const std::size_t n = std::min<std::size_t>(64, rows_ - w * 64);
        for (std::size_t i = 0; i < n; ++i) word |= std::uint64_t{same(w * 64 + i)} << i;
        a.truths().words[w] = equal ? word : ~word;
      }
    };
    if (!instruction.with_list)
      return put([&](std::size_t i) { return x[i] == instruction.constant; });
    Slot& b = slots_[instruction.slot + 1];
    const std::int32_t* const y = b.codes();
    const auto& codes = program_.codes[instruction.list];
    // Behind what is missing stands any code.
    const auto size = static_cast<std::int32_t>(codes.size());
    put([&](std::size_t i) {
      return y[i] >= 0 && y[i] < size && x[i] == codes[static_cast<std::size_t>(y[i])];
    });
    meet(a, b);
  }

  /// `and` (or `or`) of what is known to be true or false (Kleene 1938).
  static void decide(Slot& a, const Slot& b, bool both) {
    for (std::size_t w = 0; w < block_words; ++w) {
      const std::uint64_t a_true = a.there().words[w] & a.truths().words[w];
      const std::uint64_t b_true = b.there().words[w] & b.truths().words[w];
      const std::uint64_t a_false = a.there().words[w] & ~a.truths().words[w];
      const std::uint64_t b_false = b.there().words[w] & ~b.truths().words[w];
      const std::uint64_t holds = both ? a_true & b_true : a_true | b_true;
      const std::uint64_t fails = both ? a_false | b_false : a_false & b_false;
      a.truths().words[w] = holds;
      a.there().words[w] = holds | fails;
    }
  }

  /// Into the condition's slot `a`: x where it holds, y where it does not.
  void choose(Slot& a, Slot& x, Slot& y, Kind kind) {
    Mask holds, fails;
    for (std::size_t w = 0; w < block_words; ++w) {
      holds.words[w] = a.there().words[w] & a.truths().words[w];
      fails.words[w] = a.there().words[w] & ~a.truths().words[w];
    }
    if (kind == Kind::number) {
      settle_both(x, y);
      select(a, holds, x, y);
    } else {
      for (std::size_t w = 0; w < block_words; ++w) {
        a.truths().words[w] =
            (holds.words[w] & x.truths().words[w]) | (fails.words[w] & y.truths().words[w]);
      }
    }
    for (std::size_t w = 0; w < block_words; ++w) {
      a.there().words[w] =
          (holds.words[w] & x.there().words[w]) | (fails.words[w] & y.there().words[w]);
    }
  }

  void coalesce(Slot& a, Slot& b, Kind kind) {
    if (kind == Kind::number) {
      settle_both(a, b);
      select(a, Mask(a.there()), a, b);
    } else {
      for (std::size_t w = 0; w < block_words; ++w) {
        const std::uint64_t there = a.there().words[w];
        a.truths().words[w] = (there & a.truths().words[w]) | (~there & b.truths().words[w]);
      }
    }
    for (std::size_t w = 0; w < block_words; ++w) a.there().words[w] |= b.there().words[w];
  }

  /// Numbers of x where the mask is set, else of y.
  void select(Slot& out, const Mask& mask, Slot& x, Slot& y) {
    const double* const of_x = x.numbers(rows_);
    const double* const of_y = y.numbers(rows_);
    double* const chosen = out.next();
    choose_numbers(mask, of_x, of_y, chosen, rows_);
    out.hold(chosen, false);
  }

  const Program& program_;
  const Timeline& timeline_;
  std::vector<Slot> slots_;
  CivilReader civil_;
  std::size_t strand_ = 0;
  std::size_t from_ = 0, rows_ = 0;
  Mask met_;
};

/// Calls work(evaluator, first row, rows) for each block, many blocks side by side. How they are
/// split does not depend on the number of threads.
template <typename Work>
void for_each_block(const Program& program, const Timeline& timeline, Work&& work) {
  constexpr std::size_t part = std::size_t{1} << 18;
  const std::size_t rows = timeline.rows();
  detail::parallel_for(std::size_t{0}, (rows + part - 1) / part, [&](std::size_t p) {
    const std::size_t end = std::min(rows, (p + 1) * part);
    Evaluator evaluator(program, timeline, p * part);
    for (std::size_t from = p * part; from < end; from += block_rows) {
      work(evaluator, from, std::min(block_rows, end - from));
    }
  });
}

}  // namespace

Evaluated evaluate_over(const Expression& expression, const Timeline& timeline,
                        const Table& values) {
  const Program program = bind_expression(expression, timeline, values);
  const std::size_t rows = timeline.rows(), words = (rows + 63) / 64;
  const bool numbers = program.result == Kind::number;
  Buffer<double> out(numbers ? rows : 0);
  Buffer<std::uint64_t> truths(numbers ? 0 : words), there(words);
  std::atomic<std::int64_t> not_finite = 0;
  for_each_block(program, timeline, [&](Evaluator& evaluator, std::size_t from, std::size_t n) {
    Slot& slot = evaluator.run(from, n);
    if (numbers) {
      const double* const made = slot.numbers(n);
      std::copy(made, made + n, out.data() + from);
    }
    for (std::size_t w = 0; w * 64 < n; ++w) {
      const std::uint64_t known = slot.there().words[w];
      there[from / 64 + w] = known;
      if (!numbers) truths[from / 64 + w] = slot.truths().words[w] & known;
    }
    not_finite += evaluator.not_finite();
  });
  Evaluated made;
  made.not_finite = not_finite;
  Validity validity = rows == 0 ? Validity() : Validity(std::move(there), rows);
  made.column = numbers ? Column::numbers(std::move(out), std::move(validity))
                        : Column::booleans(std::move(truths), rows, std::move(validity));
  return made;
}

}  // namespace detail

Evaluated evaluate(const Expression& expression, const Timeline& timeline) {
  return detail::evaluate_over(expression, timeline, timeline.values());
}

Buffer<std::uint64_t> rows_where(const Expression& condition, const Timeline& timeline,
                                 std::int64_t* not_finite) {
  const detail::Program program = detail::bind_expression(condition, timeline, timeline.values());
  if (program.result != detail::Kind::truth) {
    detail::fail_at(condition.text(), 0,
                    "this is a number, not a condition; compare it, like x > 0");
  }
  Buffer<std::uint64_t> bits((timeline.rows() + 63) / 64);
  std::atomic<std::int64_t> met = 0;
  detail::for_each_block(program, timeline,
                         [&](detail::Evaluator& evaluator, std::size_t from, std::size_t n) {
                           detail::Slot& slot = evaluator.run(from, n);
                           for (std::size_t w = 0; w * 64 < n; ++w) {
                             bits[from / 64 + w] = slot.truths().words[w] & slot.there().words[w];
                           }
                           met += evaluator.not_finite();
                         });
  if (not_finite != nullptr) *not_finite = met;
  return bits;
}

}  // namespace zerobeat
