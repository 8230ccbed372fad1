#include <glob.h>

#include <algorithm>
#include <filesystem>
#include <zerobeat/io/output.hpp>
#include <zerobeat/io/source_name.hpp>

namespace zerobeat::inline v1 {

namespace {

namespace fs = std::filesystem;

bool is_pattern(const std::string& name) {
  std::error_code ignored;
  return name.find_first_of("*?[") != std::string::npos && !fs::exists(name, ignored);
}

std::vector<std::string> fitting_files(const std::string& pattern) {
  glob_t found{};
  const int result = glob(pattern.c_str(), GLOB_NOSORT, nullptr, &found);
  std::vector<std::string> files;
  for (std::size_t i = 0; result == 0 && i < found.gl_pathc; ++i) {
    std::error_code ignored;
    if (!fs::is_directory(found.gl_pathv[i], ignored)) files.emplace_back(found.gl_pathv[i]);
  }
  globfree(&found);
  std::ranges::sort(files);
  return files;
}

std::vector<std::string> names_in(const std::string& list) {
  std::vector<std::string> names;
  for (std::size_t from = 0; from <= list.size();) {
    const std::size_t end = std::min(list.find(between_files, from), list.size());
    names.push_back(list.substr(from, end - from));
    from = end + 1;
  }
  return names;
}

/// What many files are called: as the folder that they lie in, else as the pattern's first word.
std::string pattern_stem(const std::string& pattern) {
  std::string folder = fs::path(pattern).parent_path().filename().string();
  const bool names_one = !folder.empty() && folder != "." && folder != ".." &&
                         folder.find_first_of("*?[") == std::string::npos;
  if (names_one) return folder;
  const std::string name = fs::path(pattern).filename().string();
  std::string word = name.substr(0, name.find_first_of("*?["));
  while (!word.empty() && std::string_view("-_. ").find(word.back()) != std::string_view::npos) {
    word.pop_back();
  }
  return word.empty() ? "files" : word;
}

}  // namespace

bool is_connection(std::string_view name) {
  return name.starts_with("postgresql://") || name.starts_with("postgres://");
}

std::string without_password(const std::string& name) {
  if (!is_connection(name)) return name;
  std::string out = name;
  const std::size_t host = out.find("://") + 3;
  const std::size_t end = std::min(out.find_first_of("/?", host), out.size());
  const std::size_t at = out.rfind('@', end);
  const std::size_t colon = out.find(':', host);
  if (at != std::string::npos && at >= host && colon < at) out.erase(colon, at - colon);
  // Among the parameters, too.
  std::size_t from = out.find('?');
  while (from != std::string::npos) {
    const std::size_t next = out.find('&', from + 1);
    const std::string_view text = std::string_view(out).substr(from + 1);
    if (!text.starts_with("password=") && !text.starts_with("sslpassword=")) {
      from = next;
      continue;
    }
    if (next == std::string::npos) {
      out.erase(from);
      break;
    }
    out.erase(from + 1, next - from);
  }
  return out;
}

std::vector<std::string> source_files(const std::string& name) {
  std::vector<std::string> files;
  if (name == "-" || is_connection(name)) return files;
  for (const auto& own : names_in(name)) {
    if (is_pattern(own)) {
      const auto fitting = fitting_files(own);
      files.insert(files.end(), fitting.begin(), fitting.end());
    } else {
      files.push_back(own);
    }
  }
  return files;
}

bool is_several(const std::string& name) {
  return !is_connection(name) &&
         (name.find(between_files) != std::string::npos || is_pattern(name));
}

std::string source_stem(const std::string& name) {
  if (name == "-") return "stdin";
  if (is_connection(name)) {
    const std::string plain = without_password(name);
    const std::size_t slash = plain.find('/', plain.find("://") + 3);
    const std::string database =
        slash == std::string::npos ? "" : plain.substr(slash + 1, plain.find('?') - slash - 1);
    return database.empty() ? "postgresql" : database;
  }
  const std::string first = name.substr(0, name.find(between_files));
  if (is_pattern(first)) return pattern_stem(first);
  fs::path path(first);
  for (const std::string_view ending :
       {".gz", ".zst", ".xz", ".bz2", ".GZ", ".ZST", ".XZ", ".BZ2"}) {
    if (path.extension() == ending) {
      path = path.stem();
      break;
    }
  }
  const std::string stem = path.stem().string();
  return stem.empty() ? name : stem;
}

}  // namespace zerobeat
