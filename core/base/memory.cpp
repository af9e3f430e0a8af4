#include "base/memory.h"

#ifdef __GLIBC__
#include <malloc.h>
#endif

namespace heron {

void keep_freed_memory() {
#ifdef __GLIBC__
  mallopt(M_MMAP_THRESHOLD, 32 << 20);
  mallopt(M_TRIM_THRESHOLD, 256 << 20);
  mallopt(M_TOP_PAD, 64 << 20);
#endif
}

}  // namespace heron
