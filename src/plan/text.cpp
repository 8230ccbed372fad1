#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <zerobeat/io/source_name.hpp>
#include <zerobeat/plan/plan.hpp>

namespace zerobeat::inline v1 {

namespace {

namespace fs = std::filesystem;

/// A basic string of TOML.
std::string toml_string(std::string_view text) {
  std::string out = "\"";
  for (const char c : text) {
    const auto byte = static_cast<unsigned char>(c);
    if (c == '"' || c == '\\') {
      out += std::string("\\") + c;
    } else if (byte < 0x20 || byte == 0x7f) {
      out += fmt::format("\\u{:04x}", byte);
    } else {
      out += c;
    }
  }
  return out + "\"";
}

std::string key_of(std::string_view name) {
  const bool bare = !name.empty() && name.find_first_not_of(
                                         "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ"
                                         "0123456789_-") == std::string_view::npos;
  return bare ? std::string(name) : toml_string(name);
}

class PlanWriter {
 public:
  explicit PlanWriter(std::string folder) : folder_(std::move(folder)) {}

  std::string path(const std::string& file) const {
    if (file == "-" || file.empty()) return file;
    if (is_connection(file)) return without_password(file);
    std::error_code error;
    const fs::path whole = fs::absolute(file, error).lexically_normal();
    const fs::path from = fs::absolute(folder_.empty() ? "." : folder_, error).lexically_normal();
    return whole.lexically_relative(from).string();
  }

  /// A source's file, or the list of its files.
  std::string source_file(const std::string& file) const {
    if (file.find(between_files) == std::string::npos || is_connection(file))
      return toml_string(path(file));
    std::vector<std::string> own;
    for (std::size_t from = 0; from <= file.size();) {
      const std::size_t end = std::min(file.find(between_files, from), file.size());
      own.push_back(toml_string(path(file.substr(from, end - from))));
      from = end + 1;
    }
    return fmt::format("[{}]", fmt::join(own, ", "));
  }

  /// `name = value` of each option that is not at its default.
  template <typename Options>
  std::vector<std::string> given(Options options) const {
    Options plain{};
    return given(bind_options(options), bind_options(plain));
  }

  std::vector<std::string> given(const std::vector<BoundOption>& set,
                                 const std::vector<BoundOption>& plain) const {
    std::vector<std::string> lines;
    for (std::size_t i = 0; i < set.size(); ++i) {
      std::string value = set[i].get();
      if (value == plain[i].get()) continue;
      if (set[i].role != FileRole::none) value = path(value);
      const bool bare = set[i].type == OptionType::flag || set[i].type == OptionType::whole ||
                        set[i].type == OptionType::number ||
                        (set[i].type == OptionType::word && (value == "true" || value == "false"));
      lines.push_back(set[i].name + " = " + (bare ? value : toml_string(value)));
    }
    return lines;
  }

  std::string table(const std::vector<std::string>& lines) const {
    return lines.empty() ? "{}" : fmt::format("{{ {} }}", fmt::join(lines, ", "));
  }

  static std::string names(const std::vector<std::string>& all) {
    if (all.size() == 1) return toml_string(all[0]);
    std::vector<std::string> quoted_names;
    for (const auto& name : all) quoted_names.push_back(toml_string(name));
    return fmt::format("[{}]", fmt::join(quoted_names, ", "));
  }

 private:
  std::string folder_;
};

}  // namespace

std::string plan_text(const Plan& plan, const std::string& folder) {
  const PlanWriter writer(folder);
  std::string out;
  const auto put = [&](const std::vector<std::string>& lines) {
    for (const auto& line : lines) out += line + "\n";
  };
  for (const auto& source : plan.sources) {
    out += fmt::format("[source.{}]\nfile = {}\n", key_of(source.name),
                       writer.source_file(source.file.path));
    put(writer.given(source.read));
    put(writer.given(source.limits));
    if (source.stamp) {
      out += "stamp = " + writer.table(writer.given(*source.stamp)) + "\n";
    }
    if (source.reshape) {
      out += "reshape = " + writer.table(writer.given(*source.reshape)) + "\n";
    }
    out += "\n";
  }
  for (const auto& series : plan.series) {
    out += fmt::format("[series.{}]\nfrom = {}\n", key_of(series.name), writer.names(series.from));
    if (!series.called.empty()) out += "called = " + toml_string(series.called) + "\n";
    if (!series.steps.empty()) out += "steps = [\n";
    for (const auto& own : series.steps) {
      Step step = own.step, plain = own.step.plain();
      out += fmt::format("  {{ {} = {} }},\n", key_of(step.name()),
                         writer.table(writer.given(step.options(), plain.options())));
    }
    if (!series.steps.empty()) out += "]\n";
    out += "\n";
  }
  for (const auto& output : plan.outputs) {
    out += fmt::format("[output.{}]\n", key_of(output.name));
    if (!output.from.empty()) out += fmt::format("from = {}\n", writer.names(output.from));
    if (!output.report.empty()) {
      out += "report = " + toml_string(writer.path(output.report.path)) + "\n";
      if (!output.made_at.empty()) out += "made-at = " + toml_string(output.made_at) + "\n";
    } else if (!output.file.empty()) {
      out += "file = " + toml_string(writer.path(output.file.path)) + "\n";
      put(writer.given(output.write));
    } else {
      out += "figure = " + toml_string(writer.path(output.figure.path)) + "\n";
      put(writer.given(output.look));
    }
    out += "\n";
  }
  if (!out.empty()) out.pop_back();
  return out;
}

}  // namespace zerobeat
