#include "made_demo.h"

#include <fcntl.h>
#include <sys/file.h>
#include <sys/wait.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>

namespace heron::test {
namespace {

/// By the program as it ships: the tests of the core under sanitizers take the very same demo.
bool write_demo(const std::string& folder) {
  const pid_t child = fork();
  if (child == 0) {
    execl(HERON_PROGRAM, HERON_PROGRAM, "demo", folder.c_str(), nullptr);
    _exit(127);
  }
  int status = 0;
  return child > 0 && waitpid(child, &status, 0) == child && WIFEXITED(status) && WEXITSTATUS(status) == 0;
}

}  // namespace

std::string made_demo() {
  namespace fs = std::filesystem;
  const fs::path folder = fs::path(HERON_BINARY) / "demo-for-tests";
  // Held while the demo is made; the kernel lets go of it when a process dies.
  const int lock = open((folder.string() + ".lock").c_str(), O_CREAT | O_RDWR | O_CLOEXEC, 0644);
  if (lock < 0 || flock(lock, LOCK_EX) != 0) return {};
  std::error_code fault;
  // Made anew where the program has been.
  const auto age = fs::last_write_time(HERON_PROGRAM, fault).time_since_epoch().count();
  const fs::path stamp = folder / ("made-by-" + std::to_string(age));
  bool there = fs::exists(stamp, fault);
  if (!there) {
    fs::remove_all(folder, fault);
    there = write_demo(folder.string());
    if (there) std::ofstream{stamp};
  }
  close(lock);
  return there ? folder.string() : std::string();
}

}  // namespace heron::test
