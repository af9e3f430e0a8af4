#pragma once

namespace heron {

/// Memory that is freed stays with the process, up to a few hundred megabytes: records of megabytes come and go many times a
/// second, and fetching their pages from the system anew costs as much as reading them. Called once, by a program's main.
void keep_freed_memory();

}  // namespace heron
