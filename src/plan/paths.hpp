/// The paths of a run and their roles: what is read, and what is written.

#pragma once

#include <sys/types.h>

#include <optional>
#include <string>
#include <utility>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/plan/plan.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Gathers paths, and refuses one that has two roles.
class PathRoles {
 public:
  /// `role` is what it is to the user: "the input", "--rejects".
  void add_input(const std::string& path, std::string role);
  /// Throws Error of kind usage when the file is an input, or another output.
  void add_output(const std::string& path, std::string role);

 private:
  /// What two paths to one file have in common.
  struct Identity {
    std::optional<std::pair<dev_t, ino_t>> inode{};
    std::string place{};
    bool device = false;

    bool same_as(const Identity& other) const;
  };
  struct Use {
    Identity identity;
    std::string path, role;
    bool output = false;
  };
  static Identity identity_of(const std::string& path, bool output);

  std::vector<Use> uses_{};
};

/// Judges every path of a run, before any of them is touched. Throws Error of kind usage.
void check_paths(const Plan& plan, const RunOptions& options);

/// Makes the folder that a file is to stand in, if it is not there. Throws Error of kind output.
void make_folder_of(const std::string& file);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
