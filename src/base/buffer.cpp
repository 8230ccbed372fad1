#include <sys/mman.h>

#include <cstdint>
#include <cstdlib>
#include <new>
#include <zerobeat/base/buffer.hpp>

namespace zerobeat::detail {

namespace {

constexpr std::size_t mapped_from = std::size_t{1} << 20;
constexpr std::size_t page = 4096;
constexpr std::size_t huge_page = std::size_t{1} << 21;

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
  auto* const mapped = static_cast<char*>(mmap(nullptr, size + huge_page, PROT_READ | PROT_WRITE,
                                               MAP_PRIVATE | MAP_ANONYMOUS | MAP_NORESERVE, -1, 0));
  if (mapped == MAP_FAILED) throw std::bad_alloc();
  const std::size_t before =
      (huge_page - reinterpret_cast<std::uintptr_t>(mapped) % huge_page) % huge_page;
  if (before > 0) munmap(mapped, before);
  if (before < huge_page) munmap(mapped + before + size, huge_page - before);
  madvise(mapped + before, size, MADV_HUGEPAGE);
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
  if (bytes >= mapped_from) {
    munmap(block, whole_pages(bytes));
  } else {
    std::free(block);
  }
}

}  // namespace zerobeat::detail
