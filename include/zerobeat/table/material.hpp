/// What a picture of a step's result is made from, when that is more than the result itself.
///
/// Values: threads may read one at the same time; copies share what they hold.

#pragma once

#include <functional>
#include <map>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/timeline.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// What a step hands on beside its result. Which names there are is the step's to say.
struct Material {
  std::vector<Timeline> timelines{};                        ///< what the step looked at
  std::map<std::string, Table> tables{};                    ///< what it found besides
  std::map<std::string, std::vector<std::string>> names{};  ///< such as the columns of its takes
};

/// Made only when a picture asks for it: a step that is not drawn pays nothing. Empty: the result
/// is all there is.
using MaterialMaker = std::function<Material()>;

}  // namespace v1
}  // namespace zerobeat
