/// A shared library that is loaded when it is first needed, and stays.

#pragma once

#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

class LoadedLibrary {
 public:
  /// Throws InputError, which names the Debian package that has it, when it can't be loaded.
  LoadedLibrary(const char* name, const char* package);

  template <typename Function>
  void find(const char* symbol, Function*& function) const {
    function = reinterpret_cast<Function*>(address(symbol));
  }

 private:
  void* address(const char* symbol) const;

  const char* name_;
  void* handle_;
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
