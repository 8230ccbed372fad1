#include <sys/mman.h>

#include <array>
#include <cstdint>
#include <cstdlib>
#include <new>
#include <utility>
#include <zerobeat/base/buffer.hpp>

// What checkers of memory are told; nothing where there is none, and some instructions of nothing
// where none is running.
#if defined(__SANITIZE_ADDRESS__)
#define ZEROBEAT_ADDRESS_CHECKED
#elif defined(__has_feature)
#if __has_feature(address_sanitizer)
#define ZEROBEAT_ADDRESS_CHECKED
#endif
#endif
#if defined(ZEROBEAT_ADDRESS_CHECKED)
#include <sanitizer/asan_interface.h>
#endif
#if __has_include(<valgrind/memcheck.h>)
#include <valgrind/memcheck.h>
#endif

namespace zerobeat::inline v1::detail {

namespace {

/// A block that is handed out holds nothing that anyone wrote for its new holder.
void mark_unwritten([[maybe_unused]] void* at, [[maybe_unused]] std::size_t size) {
#if defined(ZEROBEAT_ADDRESS_CHECKED)
  ASAN_UNPOISON_MEMORY_REGION(at, size);
#endif
#if defined(VALGRIND_MAKE_MEM_UNDEFINED)
  VALGRIND_MAKE_MEM_UNDEFINED(at, size);
#endif
}

/// A block that was given back is nobody's.
void mark_nobodys([[maybe_unused]] void* at, [[maybe_unused]] std::size_t size) {
#if defined(ZEROBEAT_ADDRESS_CHECKED)
  ASAN_POISON_MEMORY_REGION(at, size);
#endif
#if defined(VALGRIND_MAKE_MEM_NOACCESS)
  VALGRIND_MAKE_MEM_NOACCESS(at, size);
#endif
}

/// Back to the system, which hands it out anew as it likes.
void unmap(void* at, std::size_t size) {
#if defined(ZEROBEAT_ADDRESS_CHECKED)
  ASAN_UNPOISON_MEMORY_REGION(at, size);
#endif
  munmap(at, size);
}

constexpr std::size_t mapped_from = std::size_t{1} << 20;
constexpr std::size_t page = 4096;
constexpr std::size_t huge_page = std::size_t{1} << 21;

/// Blocks that this thread let go of last, for those that it asks for next: what is computed part
/// by part asks for the same sizes again and again, and pages that are new must be cleared.
struct Spares {
  struct Block {
    void* at;
    std::size_t size;
  };
  std::array<Block, 4> blocks;
  std::size_t next;
  bool closed;  // the thread is at its end, and keeps none

  void* take(std::size_t size) {
    for (Block& block : blocks) {
      if (block.at != nullptr && block.size == size) {
        mark_unwritten(block.at, size);
        return std::exchange(block.at, nullptr);
      }
    }
    return nullptr;
  }
  /// Keeps it in the place of the one kept longest.
  void keep(void* at, std::size_t size) {
    if (closed) {
      unmap(at, size);
      return;
    }
    Block& block = blocks[next++ % blocks.size()];
    if (block.at != nullptr) unmap(block.at, block.size);
    block = {at, size};
    mark_nobodys(at, size);
  }
  void close() {
    closed = true;
    for (Block& block : blocks) {
      if (block.at != nullptr) unmap(block.at, block.size);
      block = {};
    }
  }
};

Spares& spares() {
  // Without a destructor, for buffers that outlive what a thread destroys at its end.
  constinit thread_local Spares own{};
  struct Closer {
    ~Closer() { own.close(); }
  };
  thread_local const Closer closer;
  (void)closer;
  return own;
}

constexpr std::size_t largest_spare = std::size_t{1} << 23;

std::size_t whole_pages(std::size_t bytes) { return (bytes + page - 1) / page * page; }
std::size_t whole_lines(std::size_t bytes) { return (bytes + 63) / 64 * 64; }

}  // namespace

void* allocate_block(std::size_t bytes) {
  if (bytes == 0) return nullptr;
  if (bytes < mapped_from) {
    void* block = std::aligned_alloc(64, whole_lines(bytes));
    if (block == nullptr) throw std::bad_alloc();
    return block;
  }
  // Aligned to huge pages, so that the system can use them: what is mapped too much around the
  // block goes back.
  const std::size_t size = whole_pages(bytes);
  if (size <= largest_spare) {
    if (void* const spare = spares().take(size)) return spare;
  }
  auto* const mapped = static_cast<char*>(mmap(nullptr, size + huge_page, PROT_READ | PROT_WRITE,
                                               MAP_PRIVATE | MAP_ANONYMOUS | MAP_NORESERVE, -1, 0));
  if (mapped == MAP_FAILED) throw std::bad_alloc();
  const std::size_t before =
      (huge_page - reinterpret_cast<std::uintptr_t>(mapped) % huge_page) % huge_page;
  if (before > 0) munmap(mapped, before);
  if (before < huge_page) munmap(mapped + before + size, huge_page - before);
  madvise(mapped + before, size, MADV_HUGEPAGE);
  mark_unwritten(mapped + before, size);
  return mapped + before;
}

void* grow_block(void* block, std::size_t used, std::size_t old_bytes, std::size_t new_bytes) {
  if (block != nullptr && old_bytes >= mapped_from) {
    void* moved = mremap(block, whole_pages(old_bytes), whole_pages(new_bytes), MREMAP_MAYMOVE);
    if (moved == MAP_FAILED) throw std::bad_alloc();
    return moved;
  }
  void* moved = allocate_block(new_bytes);
  if (block != nullptr) {
    std::memcpy(moved, block, used);
    free_block(block, old_bytes);
  }
  return moved;
}

void free_block(void* block, std::size_t bytes) {
  const std::size_t size = whole_pages(bytes);
  if (bytes >= mapped_from && size <= largest_spare) {
    spares().keep(block, size);
  } else if (bytes >= mapped_from) {
    munmap(block, size);
  } else {
    std::free(block);
  }
}

}  // namespace zerobeat::detail
