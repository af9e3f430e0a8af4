#pragma once

/// A function compiled for wider processors as well, chosen when the program starts. With "avx2" alone elementwise sums
/// have the same bits on every machine; the sanitizers cannot follow the choice.
#if defined(__GNUC__) && !defined(__clang__) && defined(__x86_64__) && !defined(__SANITIZE_ADDRESS__) && !defined(__SANITIZE_THREAD__)
#define HERON_COMPILED_FOR(target) __attribute__((target_clones(target, "default")))
#else
#define HERON_COMPILED_FOR(target)
#endif
#define HERON_ALSO_WIDE HERON_COMPILED_FOR("avx2")
