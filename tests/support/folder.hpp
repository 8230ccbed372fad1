/// A folder of a test's own, gone at its end.

#pragma once

#include <unistd.h>

#include <algorithm>
#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>
#include <sstream>
#include <string>
#include <string_view>
#include <vector>

namespace zerobeat::testing {

namespace fs = std::filesystem;

inline std::string content(const fs::path& path) {
  std::ifstream file(path, std::ios::binary);
  std::stringstream text;
  text << file.rdbuf();
  return text.str();
}

class Folder {
 public:
  Folder() {
    std::string pattern = (fs::temp_directory_path() / "zerobeat.XXXXXX").string();
    REQUIRE(mkdtemp(pattern.data()) != nullptr);
    folder_ = pattern;
  }
  Folder(const Folder&) = delete;
  Folder& operator=(const Folder&) = delete;
  ~Folder() {
    std::error_code ignored;
    fs::remove_all(folder_, ignored);
  }

  const fs::path& folder() const { return folder_; }
  std::string path(const std::string& name) const { return (folder_ / name).string(); }
  /// Writes a file and returns its path.
  std::string put(const std::string& name, std::string_view bytes) const {
    std::ofstream(folder_ / name, std::ios::binary) << bytes;
    return path(name);
  }
  std::string get(const std::string& name) const { return content(folder_ / name); }
  bool has(const std::string& name) const { return fs::exists(folder_ / name); }

  /// Names of all files here, hidden ones too.
  std::vector<std::string> files() const {
    std::vector<std::string> names;
    for (const auto& entry : fs::directory_iterator(folder_)) {
      names.push_back(entry.path().filename().string());
    }
    std::sort(names.begin(), names.end());
    return names;
  }

 private:
  fs::path folder_;
};

}  // namespace zerobeat::testing
