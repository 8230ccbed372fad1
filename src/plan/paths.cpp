#include "plan/paths.hpp"

#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include <filesystem>
#include <set>
#include <zerobeat/base/text.hpp>
#include <zerobeat/io/source_name.hpp>

namespace zerobeat::inline v1::detail {

namespace fs = std::filesystem;

bool PathRoles::Identity::same_as(const Identity& other) const {
  if (device || other.device) return false;
  if (inode && other.inode) return *inode == *other.inode;
  return place == other.place;
}

PathRoles::Identity PathRoles::identity_of(const std::string& path, bool output) {
  Identity identity;
  struct stat about {};
  const bool standard = path == "-";
  const int found =
      standard ? fstat(output ? STDOUT_FILENO : STDIN_FILENO, &about) : stat(path.c_str(), &about);
  if (found == 0) {
    identity.inode = {about.st_dev, about.st_ino};
    identity.device = S_ISCHR(about.st_mode) || S_ISBLK(about.st_mode);
  }
  if (standard) {
    identity.place = output ? "-out" : "-in";
    return identity;
  }
  // What is not there yet is known by where it will be.
  std::error_code error;
  const fs::path whole = fs::absolute(path, error).lexically_normal();
  const fs::path folder = fs::weakly_canonical(whole.parent_path(), error);
  identity.place = ((error ? whole.parent_path() : folder) / whole.filename()).string();
  return identity;
}

void PathRoles::add_input(const std::string& path, std::string role) {
  uses_.push_back({identity_of(path, false), path, std::move(role), false});
}

void PathRoles::add_output(const std::string& path, std::string role) {
  Use use{identity_of(path, true), path, std::move(role), true};
  for (const Use& other : uses_) {
    const bool both_standard = other.output && other.path == "-" && path == "-";
    if (!both_standard && !use.identity.same_as(other.identity)) continue;
    const std::string spelled =
        other.path == path ? shown(path, 200)
                           : fmt::format("{} and {}", shown(other.path, 200), shown(path, 200));
    fail_usage("{}: one file can't be {} and {}; name another", spelled, other.role, use.role);
  }
  uses_.push_back(std::move(use));
}

namespace {

void add_step_files(Step step, const std::string& of, bool outputs, PathRoles& roles) {
  for (const auto& option : step.options()) {
    const std::string path = option.get();
    if (path.empty() || option.role == FileRole::none) continue;
    if (outputs != (option.role == FileRole::output)) continue;
    const std::string role = fmt::format("‹{}›{}", option.name, of);
    outputs ? roles.add_output(path, role) : roles.add_input(path, role);
  }
}

}  // namespace

void check_paths(const Plan& plan, const RunOptions& options) {
  PathRoles roles;
  if (!plan.path.empty()) roles.add_input(plan.path.path, "the plan");
  for (const InFile& file : plan.included) roles.add_input(file.path, "what the plan includes");
  const auto of = [&](const char* kind, const std::string& name) {
    return plan.path.empty() ? std::string() : fmt::format(" of {} {}", kind, name);
  };
  for (const auto& source : plan.sources) {
    const std::string& path = source.file.path;
    const auto files = path == "-" ? std::vector<std::string>{path} : source_files(path);
    for (const auto& file : files) {
      roles.add_input(file, "the input" + of("source", source.name));
    }
    if (source.stamp && !source.stamp->days.holidays.empty()) {
      roles.add_input(source.stamp->days.holidays.path, "‹holidays›");
    }
  }
  for (const bool outputs : {false, true}) {
    for (const auto& series : plan.series) {
      for (const auto& step : series.steps) {
        add_step_files(step.step, of("series", series.name), outputs, roles);
      }
    }
  }
  std::set<std::string> shared;  // sources that are one file read in one way have one rejects file
  for (const auto& source : plan.sources) {
    const std::string& path = source.limits.rejects.path;
    if (path.empty()) continue;
    ReadOptions read = source.read;
    std::string same = source.file.path + "\n" + path;
    for (const auto& option : bind_options(read)) same += "\n" + option.get();
    if (!shared.insert(same).second) continue;
    roles.add_output(path, fmt::format("‹rejects› of {}", source.name));
  }
  for (const auto& output : plan.outputs) {
    const std::string& path = output.place().path;
    if (is_connection(path)) continue;
    roles.add_output(path, plan.path.empty() ? "the output (-o)" : "output " + output.name);
  }
  if (!options.account.empty()) roles.add_output(options.account.path, "‹account›");
  if (!options.as_plan.empty()) roles.add_output(options.as_plan.path, "‹as_plan›");
}

}  // namespace zerobeat::detail
