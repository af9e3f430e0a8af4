#pragma once
// What `scripts/mutate` writes into a copy of the code: every change stands in one program, and a number in the
// environment (HERON_MUTANT) says which of them acts. Places that were passed are noted, so that a change is tried by those
// tests alone that reach it.
#include <algorithm>
#include <initializer_list>
#include <utility>

namespace heron_mutants {

extern int active;
extern unsigned char reached[];
extern unsigned char senseless[];  // Places whose change does not compile for the types they have.

inline bool on(int id) {
  reached[id] = 1;
  return id == active;
}

template <int id> struct Less {};
template <int id> struct Same {};
template <int id> struct Sum {};
template <int id, class A> struct Left { const A& a; };

#define HERON_INFIX(KIND, OP, OTHER)                                                                \
  template <class A, int id> Left<id, A> operator OP(const A& a, KIND<id>) { return {a}; }          \
  template <int id, class A, class B> auto operator OP(const Left<id, A>& left, const B& b) {       \
    if constexpr (requires { left.a OTHER b; }) {                                                   \
      return on(id) ? left.a OTHER b : left.a OP b;                                                 \
    } else {                                                                                        \
      senseless[id] = 1;                                                                            \
      return left.a OP b;                                                                           \
    }                                                                                               \
  }
HERON_INFIX(Less, <, >=)
HERON_INFIX(Less, >=, <)
HERON_INFIX(Less, >, <=)
HERON_INFIX(Less, <=, >)
HERON_INFIX(Same, ==, !=)
HERON_INFIX(Same, !=, ==)
HERON_INFIX(Sum, +, -)
HERON_INFIX(Sum, -, +)
#undef HERON_INFIX

template <int id> struct Not {};
template <int id, class A> bool operator->*(Not<id>, const A& a) { return on(id) ? bool(a) : !a; }

template <int id, class T> T number(T as_is, T altered) { return on(id) ? altered : as_is; }

#define HERON_EXTREME(NAME, SPACE, ONE, OTHER)                                             \
  template <int id> struct NAME {                                                          \
    template <class... A> auto operator()(const A&... a) const {                           \
      return on(id) ? SPACE::OTHER(a...) : SPACE::ONE(a...);                               \
    }                                                                                      \
  };
#define HERON_EXTREME_OF_LIST(NAME, SPACE, ONE, OTHER)                                     \
  template <int id> struct NAME {                                                          \
    template <class... A> auto operator()(const A&... a) const {                           \
      return on(id) ? SPACE::OTHER(a...) : SPACE::ONE(a...);                               \
    }                                                                                      \
    template <class T> T operator()(std::initializer_list<T> l) const {                    \
      return on(id) ? SPACE::OTHER(l) : SPACE::ONE(l);                                     \
    }                                                                                      \
  };
HERON_EXTREME_OF_LIST(Min, std, min, max)
HERON_EXTREME_OF_LIST(Max, std, max, min)
HERON_EXTREME(MinElement, std, min_element, max_element)
HERON_EXTREME(MaxElement, std, max_element, min_element)
#undef HERON_EXTREME
#undef HERON_EXTREME_OF_LIST
#define HERON_EXTREME_OF_RANGE(NAME, ONE, OTHER)                                           \
  template <int id> struct NAME {                                                          \
    template <class R, class... A> auto operator()(R&& r, A... a) const {                  \
      return on(id) ? std::ranges::OTHER(r, a...) : std::ranges::ONE(r, a...);             \
    }                                                                                      \
  };
HERON_EXTREME_OF_RANGE(RangeMin, min, max)
HERON_EXTREME_OF_RANGE(RangeMax, max, min)
HERON_EXTREME_OF_RANGE(RangeMinElement, min_element, max_element)
HERON_EXTREME_OF_RANGE(RangeMaxElement, max_element, min_element)
#undef HERON_EXTREME_OF_RANGE

}  // namespace heron_mutants
