#pragma once
#include "study/iv/plan.h"
#include "study/time_course.h"

namespace heron::study::iv {

/// Every source against time, as the plan says. Of a ramp that is averaged, one pass.
TimeCourse time_course(const Plan& plan, const bench::Limits& limits);

}  // namespace heron::study::iv
