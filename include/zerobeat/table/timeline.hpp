/// Timelines: records whose times were read, judged and ordered.
///
/// A timeline is stored strand by strand, each strand ascending in time. Only
/// settle() makes one from records, and every step makes one from another, so no
/// step needs to check again.

#pragma once

#include <chrono>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>
#include <zerobeat/table/account.hpp>
#include <zerobeat/table/axis.hpp>
#include <zerobeat/table/table.hpp>
#include <zerobeat/time/zone.hpp>

namespace zerobeat {

/// What stands between the parts of a key of several columns, in its name and in its values; no
/// text that is read has it.
inline constexpr char key_mark = '\x1f';

/// The parts of such a key, or of such a name; of any other just itself.
std::vector<std::string> key_parts(std::string_view key);
/// The same with + between them, for people.
std::string key_text(std::string_view key);

/// All rows of one key, in time order.
struct Strand {
  std::optional<std::string> key{};  ///< unset when the timeline has no key; see key_parts()
  std::size_t begin = 0;             ///< its first row
  std::size_t end = 0;               ///< the row after its last

  std::size_t size() const { return end - begin; }
  friend bool operator==(const Strand&, const Strand&) = default;
};

/// Strands of typed columns over time. A value; copies share the columns.
struct OrderedTimes;

class Timeline {
 public:
  /// What a timeline is made of. The times ascend within each strand, and the strands cover the
  /// rows without overlap, in order; the constructor throws std::logic_error when they do not.
  struct Parts {
    std::string name;  ///< of the source or series, for names that clash
    std::string time_name;
    std::string key_name;  ///< empty when there is no key
    Zone zone;             ///< calendar steps follow it
    Column times;
    std::vector<Strand> strands;
    Table values;
    Account account;
    Axis axis{};  ///< what the times are
    /// Times and strands that were found in order before, which need not be looked at again; set by
    /// Timeline alone.
    std::shared_ptr<const OrderedTimes> ordered{};
  };

  explicit Timeline(Parts parts);

  const std::string& name() const { return parts_.name; }
  const std::string& time_name() const { return parts_.time_name; }
  const std::string& key_name() const { return parts_.key_name; }
  /// The names of the key's columns; none without a key.
  std::vector<std::string> key_names() const {
    return has_key() ? key_parts(parts_.key_name) : std::vector<std::string>();
  }
  bool is_key_name(std::string_view name) const;
  bool has_key() const { return !parts_.key_name.empty(); }
  const Zone& zone() const { return parts_.zone; }
  const Axis& axis() const { return parts_.axis; }
  std::size_t rows() const { return parts_.times.size(); }
  std::span<const Instant> times() const { return parts_.times.times(); }
  const Column& time_column() const { return parts_.times; }
  std::span<const Strand> strands() const { return parts_.strands; }
  const Table& values() const { return parts_.values; }
  const Account& account() const { return parts_.account; }

  /// Its parts, to make another timeline from.
  const Parts& parts() const { return parts_; }

  /// The same under another name.
  Timeline named(std::string name) const;

 private:
  Parts parts_;
};

/// A column of times, as it goes among the values of a timeline on that axis: on an elapsed one as
/// numbers of its unit.
Column on_axis(const Column& column, const Axis& axis);

/// The time of one column's steps that stands for all: the median of a strand's steps, steps of
/// zero left out; of an even number of steps the mean of the middle two. Nullopt when there is no
/// step. Cost: linear.
std::optional<Nanoseconds> typical_step(std::span<const Instant> times);

/// Notes what a step did, and how long it took, from its construction on.
class StepTimer {
 public:
  StepTimer(std::string step, std::string what, const Timeline& in)
      : StepTimer(std::move(step), std::move(what), static_cast<std::int64_t>(in.rows())) {}
  StepTimer(std::string step, std::string what, std::int64_t rows_in) {
    account_.step = std::move(step);
    account_.what = std::move(what);
    account_.rows_in = rows_in;
  }

  void filled(std::int64_t cells) { account_.cells_filled += cells; }
  void clipped(std::int64_t cells) { account_.cells_clipped += cells; }

  void note(std::string text) { account_.notes.push_back(std::move(text)); }

  /// The timeline of these parts, with this step's entry at the end of its account.
  Timeline finish(Timeline::Parts parts);
  /// This step's entry, of a step that makes a table of so many rows.
  StepAccount finish(std::int64_t rows_out);

 private:
  StepAccount account_;
  std::chrono::steady_clock::time_point start_ = std::chrono::steady_clock::now();
};

}  // namespace zerobeat
