#include "made_demo.h"

int main() { return heron::test::made_demo().empty() ? 1 : 0; }
