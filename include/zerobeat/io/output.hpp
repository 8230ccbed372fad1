/// Outputs: files that appear whole or not at all.

#pragma once

#include <memory>
#include <string>
#include <string_view>

namespace zerobeat {

/// A file being written, or standard output for "-".
///
/// A regular file is written beside its place, under no name where the system can do that, and
/// gets its name when it is committed; if it never is, nothing is left. A pipe or a device is
/// written to directly. Not for several threads at once.
class Output {
 public:
  /// Throws Error of kind output when the place can't be written.
  explicit Output(const std::string& path);
  Output(Output&&) noexcept;
  Output& operator=(Output&&) noexcept;
  ~Output();

  /// Throws Error of kind output when the device is full or the reader has gone.
  void write(std::string_view text);

  /// Puts the file in its place. Throws Error of kind output; then the old file is untouched.
  void commit();

 private:
  struct File;
  std::unique_ptr<File> file_;
};

/// Removes outputs that are being written under a name. For signal handlers.
void abandon_outputs() noexcept;

}  // namespace zerobeat
