/// Sources of a command: files read with the options that are theirs, settled,
/// their rejects set aside, and their limits checked.

#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>
#include <zerobeat/zerobeat.hpp>

namespace zerobeat::tool {

/// Reading options as given: name to values, a value of NAME:value being for that file alone.
using GivenReading = std::map<std::string, std::vector<std::string>>;

/// One file and how it is read.
struct SourceFile {
  std::string path;
  std::string name;  ///< its stem
  ReadOptions read{};
  Limits limits{};
};

/// The value of an option that is for all files, or, as NAME:value, for the one of that name; that
/// file's own counts before one for all. Nullopt: none. Throws Error when there are two.
std::optional<std::string> value_for(const std::string& option, const std::string& name,
                                     const std::vector<std::string>& names,
                                     const std::vector<std::string>& values);

/// Takes each file's own reading options. Throws Error naming the option that is wrong.
std::vector<SourceFile> sources_of(const std::vector<std::string>& files,
                                   const GivenReading& given);

/// Reads files; shows progress on a terminal when it takes more than a second.
std::vector<Records> read_all(std::vector<SourceFile>& sources, bool quiet);

/// Writes the rejects files that were asked for; sources with one file share it.
void set_aside(const std::vector<SourceFile>& sources,
               const std::vector<std::shared_ptr<const SourceAccount>>& accounts);

/// Writes an account as JSON, whole or not at all; does nothing for an empty path.
void write_account(const std::string& path, const Account& account);

/// Reads, settles, sets aside and checks the limits of all files. When a limit is passed, the
/// account of the sources is written all the same.
std::vector<Timeline> timelines_of(std::vector<SourceFile>& sources, const Settle& settling,
                                   bool quiet, const std::string& account_path);

}  // namespace zerobeat::tool
