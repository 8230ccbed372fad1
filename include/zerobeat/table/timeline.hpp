/// Timelines: records whose times were read, judged and ordered.
///
/// A timeline is stored strand by strand, each strand ascending in time. Only
/// settle() makes one from records, timeline() one from a program's columns, and every step one
/// from another, so no step needs to check again.

#pragma once

#include <chrono>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/account.hpp>
#include <zerobeat/table/axis.hpp>
#include <zerobeat/table/table.hpp>
#include <zerobeat/time/zone.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// What stands between the parts of a key of several columns, in its name and in its values; no
/// text that is read has it.
inline constexpr char key_mark = '\x1f';

/// The parts of such a key, or of such a name; of any other just itself.
[[nodiscard]] std::vector<std::string> key_parts(std::string_view key);
/// The same with + between them, for people.
[[nodiscard]] std::string key_text(std::string_view key);

/// All rows of one key, in time order.
struct Strand {
  std::optional<std::string> key{};  ///< unset when the timeline has no key; see key_parts()
  std::size_t begin = 0;             ///< its first row
  std::size_t end = 0;               ///< the row after its last

  [[nodiscard]] std::size_t size() const { return end - begin; }
  friend bool operator==(const Strand&, const Strand&) = default;
};

struct OrderedTimes;

/// Strands of typed columns over time. A value; copies share the columns, and what was moved from
/// has no rows. Threads may read one at the same time, and each may go on with a copy. What it
/// gives references and spans to lives as long as it does; of a timeline that nobody keeps they
/// can't be asked.
class Timeline {
 public:
  /// What a timeline is made of. The times ascend within each strand, and the strands cover the
  /// rows without overlap, in order; the constructor throws Error of kind
  /// usage when they do not.
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

  [[nodiscard]] const std::string& name() const& { return parts_.name; }
  [[nodiscard]] const std::string& time_name() const& { return parts_.time_name; }
  [[nodiscard]] const std::string& key_name() const& { return parts_.key_name; }
  /// The names of the key's columns; none without a key.
  [[nodiscard]] std::vector<std::string> key_names() const {
    return has_key() ? key_parts(parts_.key_name) : std::vector<std::string>();
  }
  [[nodiscard]] bool is_key_name(std::string_view name) const;
  [[nodiscard]] bool has_key() const { return !parts_.key_name.empty(); }
  [[nodiscard]] const Zone& zone() const& { return parts_.zone; }
  [[nodiscard]] const Axis& axis() const& { return parts_.axis; }
  [[nodiscard]] std::size_t rows() const { return parts_.times.size(); }
  [[nodiscard]] std::span<const Instant> times() const& { return parts_.times.times(); }
  [[nodiscard]] const Column& time_column() const& { return parts_.times; }
  [[nodiscard]] std::span<const Strand> strands() const& { return parts_.strands; }
  [[nodiscard]] const Table& values() const& { return parts_.values; }
  [[nodiscard]] const Account& account() const& { return parts_.account; }

  /// Its parts, to make another timeline from.
  [[nodiscard]] const Parts& parts() const& { return parts_; }

  // Of a timeline that nobody keeps: copies, and no spans.
  [[nodiscard]] std::string name() const&& { return parts_.name; }
  [[nodiscard]] std::string time_name() const&& { return parts_.time_name; }
  [[nodiscard]] std::string key_name() const&& { return parts_.key_name; }
  [[nodiscard]] Zone zone() const&& { return parts_.zone; }
  [[nodiscard]] Axis axis() const&& { return parts_.axis; }
  std::span<const Instant> times() const&& = delete;
  [[nodiscard]] Column time_column() const&& { return parts_.times; }
  [[nodiscard]] std::vector<Strand> strands() const&& { return parts_.strands; }
  [[nodiscard]] Table values() const&& { return parts_.values; }
  [[nodiscard]] Account account() const&& { return parts_.account; }
  [[nodiscard]] Parts parts() const&& { return parts_; }
  Parts parts() && { return std::move(parts_); }

  /// The same under another name.
  [[nodiscard]] Timeline named(std::string name) const;

 private:
  Parts parts_;
};

/// A column of times, as it goes among the values of a timeline on that axis: on an elapsed one as
/// numbers of its unit.
[[nodiscard]] Column on_axis(const Column& column, const Axis& axis);

/// The time of one column's steps that stands for all: the median of a strand's steps, steps of
/// zero left out; of an even number of steps the mean of the middle two. Nullopt when there is no
/// step. Cost: linear.
[[nodiscard]] std::optional<Nanoseconds> typical_step(std::span<const Instant> times);

}  // namespace v1
}  // namespace zerobeat
