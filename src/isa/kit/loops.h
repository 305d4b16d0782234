/* loops.h — the forms of an architecture's loop: CORE_LOOP(run_chains), CORE_LOOP(run_counted), CORE_LOOP(run_judged), CORE_LOOP(run_kept),
 * CORE_LOOP(run_singly),
 * declared before where they are not static. Everything else is as loop.h says. */
#ifndef CORE_FAR
#define CORE_FAR 0
#endif
#ifndef CORE_RESTLESS
#define CORE_RESTLESS 0
#endif
#define LOOP_NAME   CORE_LOOP(run_chains)
#define LOOP_ONE    0
#define LOOP_COUNTS 0
#define LOOP_JUDGED 0
#define LOOP_KEPT   0
#include "isa/kit/loop.h"

#define LOOP_NAME   CORE_LOOP(run_counted)
#define LOOP_ONE    0
#define LOOP_COUNTS 1
#define LOOP_JUDGED 0
#define LOOP_KEPT   0
#include "isa/kit/loop.h"

#define LOOP_NAME   CORE_LOOP(run_judged)
#define LOOP_ONE    0
#define LOOP_COUNTS 1
#define LOOP_JUDGED 1
#define LOOP_KEPT   0
#include "isa/kit/loop.h"

#define LOOP_NAME   CORE_LOOP(run_kept)
#define LOOP_ONE    0
#define LOOP_COUNTS 1
#define LOOP_JUDGED 1
#define LOOP_KEPT   1
#include "isa/kit/loop.h"

#define LOOP_NAME   CORE_LOOP(run_singly)
#define LOOP_ONE    1
#define LOOP_COUNTS 0
#define LOOP_JUDGED 0
#define LOOP_KEPT   0
#include "isa/kit/loop.h"
