/// Columns that the paths of a source's files tell: parts that read NAME=VALUE.

#pragma once

#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/judge/records.hpp>

#include "io/judge/assembly.hpp"
#include "io/source/part.hpp"
#include "io/source/read_task.hpp"
#include "io/text/layout.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// What the path of a file says of all its records, in the order in which it says it.
std::vector<PathValue> values_of_path(const std::string& path);

class PathColumns {
 public:
  /// Those of a source's parts, in order of their first appearance.
  explicit PathColumns(const OpenSource& source);

  bool empty() const { return names_.empty(); }

  /// The task without these columns, which no file has.
  ReadTask task_without(const ReadTask& task) const;

  /// Puts them into the keys, where the task's key has them. Throws Error of kind input when a file
  /// has a column of such a name.
  void join_keys(const ReadTask& task, Assembly& assembly, FoundLayout& found) const;

  /// Adds those that are wanted, and are no part of the key, to the records.
  void add_to(const ReadTask& task, Records& records) const;

 private:
  const std::string& value(std::size_t part, std::size_t name) const {
    return values_[part * names_.size() + name];
  }
  std::size_t place(const std::string& name) const;

  std::vector<std::string> names_;
  std::vector<std::string> values_;  ///< of each part, for each name; empty: it does not say
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
