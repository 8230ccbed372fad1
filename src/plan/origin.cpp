#include "plan/origin.hpp"

#include <algorithm>
#include <zerobeat/io/source_name.hpp>

namespace zerobeat::inline v1::detail {

namespace {

void add_file(std::vector<UsedFile>& files, const std::string& path) {
  if (path.empty() || std::ranges::find(files, path, &UsedFile::file) != files.end()) return;
  files.push_back({path, std::nullopt});
}

}  // namespace

std::vector<UsedFile> files_read(const Plan& plan) {
  std::vector<UsedFile> files;
  add_file(files, plan.path.path);
  for (const InFile& file : plan.included) add_file(files, file.path);
  for (const auto& source : plan.sources) {
    const std::string& path = source.file.path;
    if (is_connection(path)) {
      add_file(files, without_password(path));
    } else if (path == "-") {
      add_file(files, path);
    } else {
      for (const auto& file : source_files(path)) add_file(files, file);
    }
    if (source.stamp) add_file(files, source.stamp->days.holidays.path);
  }
  for (const auto& series : plan.series) {
    for (const auto& planned : series.steps) {
      Step step = planned.step;
      for (const auto& option : step.options()) {
        if (option.role == FileRole::input) add_file(files, option.get());
      }
    }
  }
  return files;
}

InputDigests::InputDigests(const Plan& plan)
    : files_(std::async(std::launch::async, [files = files_read(plan)]() mutable {
        for (UsedFile& used : files) {
          if (used.file != "-" && !is_connection(used.file)) {
            used.digest = digest_of_file(used.file);
          }
        }
        return std::move(files);
      })) {}

std::vector<UsedFile> rejects_written(const Plan& plan) {
  std::vector<UsedFile> files;
  for (const auto& source : plan.sources) add_file(files, source.limits.rejects.path);
  for (UsedFile& used : files) used.digest = digest_of_file(used.file);
  return files;
}

}  // namespace zerobeat::detail
