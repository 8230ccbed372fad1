#include "io/source/loaded_library.hpp"

#include <dlfcn.h>

#include <zerobeat/base/error.hpp>

namespace zerobeat::inline v1::detail {

LoadedLibrary::LoadedLibrary(const char* name, const char* package)
    : name_(name), handle_(dlopen(name, RTLD_NOW | RTLD_LOCAL)) {
  if (handle_ == nullptr) {
    fail_input("{} can't be loaded: {} (the package {} has it)", name, dlerror(), package);
  }
}

void* LoadedLibrary::address(const char* symbol) const {
  void* const found = dlsym(handle_, symbol);
  if (found == nullptr) fail_input("{} has no {}: it is too old", name_, symbol);
  return found;
}

}  // namespace zerobeat::detail
