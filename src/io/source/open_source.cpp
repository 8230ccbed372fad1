#include "io/source/open_source.hpp"

#include <fnmatch.h>

#include <algorithm>
#include <filesystem>
#include <zerobeat/base/text.hpp>
#include <zerobeat/io/source_name.hpp>

#include "io/database/read_postgresql.hpp"
#include "io/judge/path_columns.hpp"
#include "io/source/compressed.hpp"
#include "io/source/encoding.hpp"
#include "io/source/formats.hpp"
#include "io/source/listed.hpp"
#include "io/source/stream.hpp"

namespace zerobeat::inline v1::detail {

namespace {

namespace fs = std::filesystem;

bool has_pattern(std::string_view name) { return name.find_first_of("*?[") != std::string::npos; }

std::string_view head_of(const SourceText& text) {
  constexpr std::size_t looked_at = std::size_t{1} << 20;
  return text.until(looked_at).substr(0, looked_at);
}

/// A stream, once all of it is there.
SourceText whole(SourceText text) {
  text.text = text.all();
  text.stream.reset();  // its owner stays
  return text;
}

/// Where returns alone end lines.
bool ends_lines_with_returns(std::string_view head) {
  return head.find('\n') == std::string_view::npos && head.find('\r') != std::string_view::npos;
}

/// The files in an archive that are asked for, in byte order of their names.
std::vector<std::string> chosen_members(const SourceText& archive, const ReadOptions& options) {
  std::vector<std::string> members = members_of(archive);
  if (members.empty()) fail_input("{}: there is no file in it", archive.name);
  if (options.member.empty()) {
    if (members.size() == 1) return members;
    fail_usage("{}: holds {} files; say which, or a pattern that fits several: ‹member› NAME{}",
               archive.name, members.size(), listed(members));
  }
  std::vector<std::string> chosen;
  for (const auto& name : members) {
    if (name == options.member || fnmatch(options.member.c_str(), name.c_str(), 0) == 0) {
      chosen.push_back(name);
    }
  }
  if (chosen.empty()) {
    fail_usage("‹member› {}: {} holds no such file{}; there is{}", shown(options.member, 200),
               archive.name, did_you_mean(options.member, members), listed(members));
  }
  std::ranges::sort(chosen);
  return chosen;
}

/// Opens parts one after the other, and gathers them.
class Opening {
 public:
  Opening(OpenSource& source, const ReadOptions& options, std::size_t files)
      : source_(source), options_(options), most_(std::size_t{1} << (files > 1 ? 36 : 40)) {}

  /// A file, or what is in it.
  void add(const SourceText& file) {
    // What is packed is looked at as a whole, also when it comes through a pipe.
    if (file.stream && begins_as_packed(file.until(packed_head).substr(0, packed_head))) {
      return add(whole(file));
    }
    const Container container = file.stream ? Container::none : container_of(file);
    if (container == Container::archive || container == Container::packed_archive) {
      // An archive that is packed as a whole is unpacked once, and its members found in that.
      const SourceText archive =
          container == Container::archive ? file : whole(uncompressed(file, most_));
      const auto members = chosen_members(archive, options_);
      source_.is_pattern |= members.size() > 1 || has_pattern(options_.member);
      for (const auto& member : members) {
        add_plain(member_text(archive, member, members.size() > 1 ? std::size_t{1} << 36 : most_),
                  member);
      }
      return;
    }
    if (!options_.member.empty()) {
      fail_usage("‹member› {}: {} is no archive", shown(options_.member), file.name);
    }
    if (container == Container::compressed) {
      // The ending before that of the compression says what is in it.
      return add_plain(uncompressed(file, most_), fs::path(file.name).stem().string());
    }
    add_plain(file, file.name);
  }

  /// What is not packed. `named` has the ending that may say its format.
  void add_plain(SourceText text, const std::string& named) {
    Part part;
    part.name = text.name;
    part.text = std::move(text);
    const Format* format = &format_of(head_of(part.text), named, options_);
    if (format->open == nullptr) {
      std::string encoding = fitting_encoding(options_.encoding, part.text);
      if (encoding != options_.encoding) part.encoding = encoding;
      if (encoding.empty()) encoding = encoding_by_mark(part.text.until(2).substr(0, 2));
      if (!encoding.empty() && !is_utf8_name(encoding)) {
        part.text = in_utf8(part.text, encoding, part.file_byte);
        format = &format_of(head_of(part.text), named, options_);
      }
    }
    part.format = format->format;
    part.form = format->form;
    if (format->open != nullptr) {
      part.rows = format->open(part.text, options_);
    } else if (ends_lines_with_returns(head_of(part.text))) {
      std::string all(part.text.all());
      part.returns = std::ranges::count(all, '\r');
      std::ranges::replace(all, '\r', '\n');
      const bool regular = part.text.regular;
      part.text = source_of(std::move(all), part.name);
      part.text.regular = regular;
    }
    if (part.text.stream && source_.parts.size() >= most_open) part.text.stream->rest();
    source_.parts.push_back(std::move(part));
  }

 private:
  static constexpr std::size_t most_open = 64;

  OpenSource& source_;
  const ReadOptions& options_;
  std::size_t most_;
};

}  // namespace

OpenSource open_parts(const std::string& path, const ReadOptions& options,
                      const SourceText* opened) {
  OpenSource source;
  source.name = path;
  if (opened != nullptr) {
    Opening(source, options, 1).add(*opened);
    return source;
  }
  if (is_connection(path)) {
    const bool other =
        options.from != InputFormat::automatic && options.from != InputFormat::postgresql;
    source.name = without_password(path);
    if (other) fail_usage("‹from› {}: {} is a database", to_text(options.from), source.name);
    Part& part = source.parts.emplace_back();
    part.name = source.name;
    part.format = InputFormat::postgresql;
    part.rows = open_postgresql(path, options);
    return source;
  }
  if (options.from == InputFormat::postgresql) {
    fail_usage("‹from› postgresql: {} is no postgresql:// address", shown(path, 200));
  }
  const auto files = path == "-" ? std::vector<std::string>{path} : source_files(path);
  source.is_pattern = is_several(path);
  for (char& c : source.name) c = c == between_files ? ' ' : c;
  if (files.empty()) {
    fail_input("{}: no file has a name that fits this pattern", shown(path, 200));
  }
  Opening opening(source, options, files.size());
  for (const auto& file : files) {
    const std::size_t first = source.parts.size();
    opening.add(open_source(file));
    if (!source.is_pattern) continue;
    for (std::size_t p = first; p < source.parts.size(); ++p) {
      source.parts[p].path_values = values_of_path(file);
    }
  }
  return source;
}

OpenSource open_parts(SourceText text, const ReadOptions& options) {
  OpenSource source;
  source.name = text.name;
  Opening(source, options, 1).add(text);
  return source;
}

}  // namespace zerobeat::detail
