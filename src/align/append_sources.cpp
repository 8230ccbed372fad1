#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <optional>
#include <string>
#include <utility>
#include <vector>
#include <zerobeat/align/append.hpp>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/text.hpp>
#include <zerobeat/table/step_timer.hpp>

#include "base/parallel.hpp"

namespace zerobeat::inline v1 {

namespace {

void check_sources(std::span<const Timeline> timelines, const Append& options) {
  if (timelines.empty()) fail_usage("append: there is nothing to append");
  const Timeline& first = timelines[0];
  for (const Timeline& timeline : timelines) {
    if (timeline.key_name() != first.key_name()) {
      const auto told = [](const Timeline& of) {
        return of.has_key() ? fmt::format("has the key {}", shown(key_text(of.key_name())))
                            : std::string("has no key");
      };
      fail_usage("append: {} {}, and {} {}; all have the same key, or none: ‹key›, or ‹key_from›",
                 shown(first.name()), told(first), shown(timeline.name()), told(timeline));
    }
    if (timeline.axis() != first.axis()) {
      fail_usage("append: the times of {} are {}, those of {} {}", shown(first.name()),
                 to_text(first.axis()), shown(timeline.name()), to_text(timeline.axis()));
    }
    const auto& key = options.key_from;
    if (!key.empty() &&
        (timeline.values().find(key) || timeline.is_key_name(key) || timeline.time_name() == key)) {
      fail_usage("append: ‹key_from› {}: {} has a column of that name; choose another", shown(key),
                 shown(timeline.name()));
    }
    if (timeline.values().find(first.time_name())) {
      fail_usage(
          "append: column \"{}\" of {} is called as the times of {} are; give it another name: "
          "select, ‹columns› NAME={}",
          shown(first.time_name()), shown(timeline.name()), shown(first.name()),
          shown(first.time_name()));
    }
  }
}

/// A column of the result: its name, its type, and which timelines have readings for it.
struct JointColumn {
  std::string name;
  std::optional<Column::Type> type{};  ///< unset while no timeline has a reading
  std::size_t type_from = 0;           ///< the timeline that says so, or the first that has it
};

bool has_readings(const Column& column) { return column.validity().missing() < column.size(); }

std::vector<JointColumn> joint_columns(std::span<const Timeline> timelines) {
  std::vector<JointColumn> all;
  std::map<std::string, std::size_t, std::less<>> place;
  for (std::size_t t = 0; t < timelines.size(); ++t) {
    const Table& values = timelines[t].values();
    for (std::size_t i = 0; i < values.names().size(); ++i) {
      const auto [at, is_new] = place.emplace(values.names()[i], all.size());
      if (is_new) all.push_back({values.names()[i], std::nullopt, t});
      JointColumn& joint = all[at->second];
      const Column& column = values.columns()[i];
      if (!has_readings(column)) continue;
      if (!joint.type) {
        joint.type = column.type();
        joint.type_from = t;
      }
      const auto numeric = [](Column::Type type) {
        return type == Column::Type::number || type == Column::Type::integer;
      };
      if (*joint.type != column.type() && numeric(*joint.type) && column.is_numeric()) {
        joint.type = Column::Type::number;
      }
      if (*joint.type != column.type() && !(numeric(*joint.type) && column.is_numeric())) {
        fail_usage(
            "append: column \"{}\" is {} in {} and {} in {}; they can't be one column: give one "
            "another name (select, ‹columns› NAME={}), or read it as the other: ‹text›, ‹number›",
            shown(joint.name), to_text(*joint.type), shown(timelines[joint.type_from].name()),
            to_text(column.type()), shown(timelines[t].name()), shown(joint.name));
      }
    }
  }
  return all;
}

/// The rows of all timelines, numbered one timeline after the other, in the order of the result.
struct JointOrder {
  std::vector<Strand> strands;
  Buffer<std::int64_t> rows;
};

using Key = std::optional<std::string>;

Key key_of(const Timeline& timeline, const Strand& strand, const Append& options) {
  if (options.key_from.empty()) return strand.key;
  return timeline.has_key() ? timeline.name() + key_mark + strand.key.value_or("")
                            : timeline.name();
}

/// Merges neighbouring stretches of `rows`, each ascending in time, until one is left; of equal
/// times the earlier stretch's come first.
void merge_stretches(std::span<std::int64_t> rows, std::vector<std::size_t> ends,
                     std::span<const Instant> times) {
  const auto earlier = [&](std::int64_t a, std::int64_t b) {
    return times[static_cast<std::size_t>(a)] < times[static_cast<std::size_t>(b)];
  };
  while (ends.size() > 1) {
    std::vector<std::size_t> merged;
    std::size_t begin = 0;
    for (std::size_t i = 0; i < ends.size(); i += 2) {
      const std::size_t end = ends[std::min(i + 1, ends.size() - 1)];
      const auto at = [&](std::size_t row) { return rows.begin() + static_cast<long>(row); };
      const bool in_order =
          ends[i] == end || ends[i] == begin || !earlier(rows[ends[i]], rows[ends[i] - 1]);
      if (!in_order) std::inplace_merge(at(begin), at(ends[i]), at(end), earlier);
      merged.push_back(end);
      begin = end;
    }
    ends = std::move(merged);
  }
}

JointOrder joint_order(std::span<const Timeline> timelines, const Append& options,
                       std::span<const Instant> times) {
  std::map<Key, std::size_t> place;
  std::vector<std::vector<RowStretch>> stretches;
  JointOrder order;
  std::size_t before = 0;
  for (const Timeline& timeline : timelines) {
    for (const Strand& strand : timeline.strands()) {
      Key key = key_of(timeline, strand, options);
      const auto [at, is_new] = place.emplace(key, stretches.size());
      if (is_new) {
        stretches.emplace_back();
        order.strands.push_back({std::move(key), 0, 0});
      }
      stretches[at->second].push_back({before + strand.begin, before + strand.end});
    }
    before += timeline.rows();
  }
  order.rows.resize(before);
  std::vector<std::vector<std::size_t>> ends(stretches.size());
  std::size_t row = 0;
  for (std::size_t s = 0; s < stretches.size(); ++s) {
    order.strands[s].begin = row;
    for (const RowStretch& stretch : stretches[s]) {
      for (std::size_t i = stretch.begin; i < stretch.end; ++i) {
        order.rows[row++] = static_cast<std::int64_t>(i);
      }
      ends[s].push_back(row - order.strands[s].begin);
    }
    order.strands[s].end = row;
  }
  detail::parallel_for(std::size_t{0}, stretches.size(), [&](std::size_t s) {
    const Strand& strand = order.strands[s];
    merge_stretches({order.rows.data() + strand.begin, strand.size()}, std::move(ends[s]), times);
  });
  return order;
}

/// A column of all timelines one after the other. What lacks it, or has no reading in it, takes its
/// type from one that has.
Column joined(std::span<const Timeline> timelines, const JointColumn& joint) {
  const Column& model = timelines[joint.type_from].values().column(joint.name);
  std::vector<Column> parts;
  for (const Timeline& timeline : timelines) {
    const auto at = timeline.values().find(joint.name);
    if (at && has_readings(timeline.values().columns()[*at])) {
      parts.push_back(timeline.values().columns()[*at]);
    } else {
      parts.push_back(model.gather(std::vector<std::int64_t>(timeline.rows(), -1)));
    }
  }
  return concatenate(parts);
}

}  // namespace

Timeline append(std::span<const Timeline> timelines, const Append& options) {
  std::int64_t rows_in = 0;
  for (const Timeline& timeline : timelines) rows_in += static_cast<std::int64_t>(timeline.rows());
  StepTimer timer(options, rows_in);
  check_sources(timelines, options);
  const auto columns = joint_columns(timelines);
  std::vector<Column> times;
  for (const Timeline& timeline : timelines) times.push_back(timeline.time_column());
  Timeline::Parts parts = timelines[0].parts();
  const Column all_times = concatenate(times);
  JointOrder order = joint_order(timelines, options, all_times.times());
  parts.times = all_times.gather(order.rows.span());
  parts.strands = std::move(order.strands);
  if (!options.key_from.empty()) {
    parts.key_name =
        timelines[0].has_key() ? options.key_from + key_mark + parts.key_name : options.key_from;
  }
  std::vector<Column> values(columns.size());
  detail::parallel_for(std::size_t{0}, columns.size(), [&](std::size_t i) {
    values[i] = joined(timelines, columns[i]).gather(order.rows.span());
  });
  parts.values = Table(parts.times.size());
  for (std::size_t i = 0; i < columns.size(); ++i) {
    parts.values.add(columns[i].name, std::move(values[i]));
  }
  parts.account = {};
  for (const Timeline& timeline : timelines) {
    add_to(parts.account, timeline.account());
    timer.note(fmt::format("{}: {} rows", shown(timeline.name()),
                           grouped(static_cast<std::int64_t>(timeline.rows()))));
  }
  return timer.finish(std::move(parts));
}

}  // namespace zerobeat
