/// Steps as values of one type: what a plan holds and a tool runs, the standard ones and a
/// program's own.

#pragma once

#include <concepts>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/io/calendar.hpp>
#include <zerobeat/table/made.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/stretches.hpp>
#include <zerobeat/take/take.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// What a step is: an options struct with a name and a help line, whose options `fields` declares,
/// with one `apply` and one `reach`.
///
/// It may say more: `inputs` (how many timelines it takes), `example` (its options in a command),
/// `columns_needed(options, source)` (the columns that it reads of a timeline, when it passes no
/// others on), `time_needed(options, zone)` (the times outside of which rows make no difference),
/// `begin_stretches(options)` (how it works on a timeline that comes stretch by stretch),
/// `makes_table(options)` (a table comes of it), `look(in, options)` (what a picture shows when the
/// data passes a limit of apply()), `takes` (which statistics its takes
/// may be), `read_inputs(options, reader)` (reads the files that its options name, when a run
/// begins).
template <class S>
concept StepLike = requires {
  { S::name } -> std::convertible_to<std::string_view>;
  { S::help } -> std::convertible_to<std::string_view>;
}
&&std::copyable<S>&& std::equality_comparable<S>&& requires(S& s, const S& c,
                                                            std::span<const Timeline> in) {
  { apply(in, c) } -> std::convertible_to<Made>;
  { reach(c) } -> std::same_as<Reach>;
  bind_options(s);
};

/// Any step. A value; copying it copies its options. One that was moved from does nothing but
/// throw. Threads may apply one at the same time.
class Step {
 public:
  template <StepLike S>
  Step(S options) : model_(std::make_unique<Model<S>>(std::move(options))) {}  // NOLINT
  Step(const Step& other) : model_(other.model().clone()) {}
  Step(Step&&) noexcept = default;
  Step& operator=(const Step& other) {
    model_ = other.model().clone();
    return *this;
  }
  Step& operator=(Step&&) noexcept = default;

  [[nodiscard]] std::string_view name() const { return model().name(); }
  [[nodiscard]] std::string_view help() const { return model().help(); }
  /// Its options, bound to this very step.
  std::vector<BoundOption> options() { return model().options(); }
  /// "how=linear max-gap=1h": those that are not at their defaults.
  [[nodiscard]] std::string options_text() const { return model().options_text(); }
  Inputs inputs() const { return model().inputs(); }
  [[nodiscard]] Made apply(std::span<const Timeline> in) const { return model().apply(in); }
  /// What a picture shows when apply() throws Error of kind limit; unset: nothing.
  [[nodiscard]] std::optional<Made> look(std::span<const Timeline> in) const {
    return model().look(in);
  }
  [[nodiscard]] Reach reach() const { return model().reach(); }
  [[nodiscard]] bool makes_table() const { return model().makes_table(); }
  [[nodiscard]] std::optional<std::vector<std::string>> columns_needed(
      std::string_view source) const {
    return model().columns_needed(source);
  }
  /// The times outside of which rows of its input make no difference; unset: there are none.
  [[nodiscard]] std::optional<TimeRange> time_needed(const Zone& zone) const {
    return model().time_needed(zone);
  }
  /// The step at work on a timeline that comes stretch by stretch; unset: it needs the whole.
  [[nodiscard]] std::optional<StretchWork> begin_stretches() const {
    return model().begin_stretches();
  }
  /// How it is used on the command line, without files; empty when it shows none.
  [[nodiscard]] std::string_view example() const { return model().example(); }
  /// The statistics that its takes may be; none when it has no takes.
  [[nodiscard]] std::span<const Stat> statistics() const { return model().statistics(); }
  /// A step of the same kind with its defaults.
  [[nodiscard]] Step plain() const { return model().plain(); }
  /// Reads the files that its options name and that it needs at hand, such as holidays.
  void prepare(const InputReader& reader) { model().prepare(reader); }

  /// The step as one of that type, or null.
  template <StepLike S>
  const S* as() const {
    const auto* model = dynamic_cast<const Model<S>*>(model_.get());
    return model == nullptr ? nullptr : &model->own;
  }

  friend bool operator==(const Step& a, const Step& b) { return a.model().equals(b.model()); }

 private:
  struct AnyModel {
    virtual ~AnyModel() = default;
    virtual std::unique_ptr<AnyModel> clone() const = 0;
    virtual Step plain() const = 0;
    virtual bool equals(const AnyModel& other) const = 0;
    virtual std::string_view name() const = 0;
    virtual std::string_view help() const = 0;
    virtual std::string_view example() const = 0;
    virtual std::vector<BoundOption> options() = 0;
    virtual std::string options_text() const = 0;
    virtual Inputs inputs() const = 0;
    virtual Made apply(std::span<const Timeline> in) const = 0;
    virtual std::optional<Made> look(std::span<const Timeline> in) const = 0;
    virtual Reach reach() const = 0;
    virtual bool makes_table() const = 0;
    virtual std::optional<std::vector<std::string>> columns_needed(std::string_view) const = 0;
    virtual std::optional<TimeRange> time_needed(const Zone& zone) const = 0;
    virtual std::optional<StretchWork> begin_stretches() const = 0;
    virtual std::span<const Stat> statistics() const = 0;
    virtual void prepare(const InputReader& reader) = 0;
  };
  template <StepLike S>
  struct Model;

  AnyModel& model() const {
    if (model_ == nullptr) throw Error(Error::Kind::usage, "the step was moved from");
    return *model_;
  }

  std::unique_ptr<AnyModel> model_;
};

/// How a step of one kind is made: a line of a table of steps.
struct StepKind {
  std::string_view name;
  Step (*make)();
};

template <StepLike S>
inline constexpr StepKind step_kind{S::name, [] { return Step(S{}); }};

/// The steps that the library has, in the order of the work.
[[nodiscard]] std::span<const StepKind> standard_steps();

/// A step of that name with its defaults. Throws Error naming the nearest when there is none.
[[nodiscard]] Step make_step(std::string_view name,
                             std::span<const StepKind> steps = standard_steps());

/// "fill how=linear max-gap=1h".
[[nodiscard]] std::string to_text(const Step& step);

namespace detail {

// Calls by name from where no member hides it: the functions are found where the type of the
// options was declared.
template <typename S>
[[nodiscard]] Made apply_step(std::span<const Timeline> in, const S& options) {
  return apply(in, options);
}
template <typename S>
[[nodiscard]] Reach reach_of(const S& options) {
  return reach(options);
}
template <typename S>
void read_inputs_of(S& options, const InputReader& reader) {
  if constexpr (requires { read_inputs(options, reader); }) read_inputs(options, reader);
}
template <typename S>
[[nodiscard]] bool step_makes_table(const S& options) {
  if constexpr (requires { makes_table(options); }) return makes_table(options);
  return false;
}
template <typename S>
[[nodiscard]] std::optional<std::vector<std::string>> columns_of_step(const S& options,
                                                                      std::string_view source) {
  if constexpr (requires { columns_needed(options, source); }) {
    return columns_needed(options, source);
  }
  return std::nullopt;
}

template <typename S>
[[nodiscard]] std::optional<Made> look_of_step(std::span<const Timeline> in, const S& options) {
  if constexpr (requires { look(in, options); }) return look(in, options);
  return std::nullopt;
}

template <typename S>
[[nodiscard]] std::optional<TimeRange> time_of_step(const S& options, const Zone& zone) {
  if constexpr (requires { time_needed(options, zone); }) return time_needed(options, zone);
  return std::nullopt;
}

template <typename S>
[[nodiscard]] std::optional<StretchWork> stretches_of_step(const S& options) {
  if constexpr (requires { begin_stretches(options); }) return begin_stretches(options);
  return std::nullopt;
}

}  // namespace detail

template <StepLike S>
struct Step::Model final : Step::AnyModel {
  explicit Model(S options) : own(std::move(options)) {}

  std::unique_ptr<AnyModel> clone() const override { return std::make_unique<Model>(own); }
  [[nodiscard]] Step plain() const override { return Step(S{}); }
  [[nodiscard]] bool equals(const AnyModel& other) const override {
    const auto* same = dynamic_cast<const Model*>(&other);
    return same != nullptr && same->own == own;
  }
  [[nodiscard]] std::string_view name() const override { return S::name; }
  [[nodiscard]] std::string_view help() const override { return S::help; }
  [[nodiscard]] std::string_view example() const override {
    if constexpr (requires { S::example; }) return S::example;
    return {};
  }
  std::vector<BoundOption> options() override { return bind_options(own); }
  [[nodiscard]] std::string options_text() const override { return describe_options(own); }
  Inputs inputs() const override {
    if constexpr (requires { S::inputs; }) return S::inputs;
    return {};
  }
  [[nodiscard]] Made apply(std::span<const Timeline> in) const override {
    return detail::apply_step(in, own);
  }
  [[nodiscard]] std::optional<Made> look(std::span<const Timeline> in) const override {
    return detail::look_of_step(in, own);
  }
  [[nodiscard]] Reach reach() const override { return detail::reach_of(own); }
  [[nodiscard]] bool makes_table() const override { return detail::step_makes_table(own); }
  [[nodiscard]] std::optional<std::vector<std::string>> columns_needed(
      std::string_view source) const override {
    return detail::columns_of_step(own, source);
  }
  [[nodiscard]] std::optional<TimeRange> time_needed(const Zone& zone) const override {
    return detail::time_of_step(own, zone);
  }
  [[nodiscard]] std::optional<StretchWork> begin_stretches() const override {
    return detail::stretches_of_step(own);
  }
  [[nodiscard]] std::span<const Stat> statistics() const override {
    if constexpr (requires { S::takes; }) return statistics_of(S::takes);
    return {};
  }
  void prepare(const InputReader& reader) override { detail::read_inputs_of(own, reader); }

  S own;
};

}  // namespace v1
}  // namespace zerobeat
