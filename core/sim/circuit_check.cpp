#include <numeric>
#include <set>

#include "sim/circuit.h"
#include "sim/device.h"

namespace heron::sim {
namespace {

/// Groups of nodes that are joined (union-find with halving).
class Groups {
 public:
  explicit Groups(std::size_t n) : of_(n) { std::iota(of_.begin(), of_.end(), std::size_t(0)); }
  std::size_t find(std::size_t i) {
    while (of_[i] != i) i = of_[i] = of_[of_[i]];
    return i;
  }
  /// False when they were together already.
  bool join(std::size_t a, std::size_t b) {
    a = find(a);
    b = find(b);
    if (a == b) return false;
    of_[a] = b;
    return true;
  }

 private:
  std::vector<std::size_t> of_;
};

}  // namespace

Result<void> check_wiring(const Circuit& circuit) {
  std::map<std::string, std::size_t> number;
  std::vector<int> ends;
  std::vector<std::string> last;
  for (const auto& part : circuit.parts)
    for (const auto& node : part.nodes) {
      const auto [it, fresh] = number.try_emplace(node, number.size());
      if (fresh) {
        ends.push_back(0);
        last.emplace_back();
      }
      ++ends[it->second];
      last[it->second] = part.name;
    }
  std::set<std::string> reached;
  for (const auto& [pin, node] : circuit.pins) reached.insert(node);
  for (const auto& [node, k] : number)
    if (ends[k] < 2 && node != kGround && !reached.contains(node))
      return fail(Fault::input, "part {}: the node {} hangs in the air: nothing else is connected to it", last[k],
                  node);

  Groups joined(number.size());
  for (const auto& part : circuit.parts)
    for (const auto& node : part.nodes) joined.join(number.at(part.nodes.front()), number.at(node));
  const auto ground = number.find(std::string(kGround));
  if (ground == number.end()) return fail(Fault::input, "part: nothing is connected to the node \"{}\"", kGround);
  for (const auto& part : circuit.parts)
    if (joined.find(number.at(part.nodes.front())) != joined.find(ground->second))
      return fail(Fault::input, "part {}: it and what it is connected to have no connection to {}", part.name, kGround);

  // Inductors without resistance hold no voltage at rest, so a source across them has no operating point.
  Groups held(number.size());
  for (const auto& part : circuit.parts)
    if (part.kind->name == "inductor" && part.values.at("resistance").value == 0)
      held.join(number.at(part.nodes[0]), number.at(part.nodes[1]));
  for (const auto& part : circuit.parts)
    if (part.kind->ideal_voltage && !held.join(number.at(part.nodes[0]), number.at(part.nodes[1])))
      return fail(Fault::input,
                  "part {}: closes a loop of sources that hold a voltage, or of inductors without resistance; put a "
                  "resistance into it",
                  part.name);
  return {};
}

}  // namespace heron::sim
