/* service.h — how often each interrupt or exception was handled, and how long. A core calls it when it enters and leaves a
 * handler; the plain loop never does. Cycles of a handler that interrupts another count for itself alone. */
#ifndef OAK_ISA_SERVICE_H
#define OAK_ISA_SERVICE_H

#include <oakspindle/port.h>

enum { OAK_MOST_SERVED = 96, OAK_MOST_NESTED = 32 };

typedef struct oak_service_log {
    uint64_t count[OAK_MOST_SERVED], cycles[OAK_MOST_SERVED], longest[OAK_MOST_SERVED];
    uint32_t vector[OAK_MOST_SERVED]; /* where it was entered last */
    struct {
        uint16_t number;
        uint64_t entered; /* later by what inner ones took */
    } under_way[OAK_MOST_NESTED];
    unsigned depth;
} oak_service_log;

static inline void oak_service_enter(oak_service_log *log, unsigned number, uint32_t vector, uint64_t now)
{
    if (log->depth < OAK_MOST_NESTED) {
        log->under_way[log->depth].number = (uint16_t)number;
        log->under_way[log->depth].entered = now;
    }
    log->depth++;
    if (number >= OAK_MOST_SERVED) return;
    log->count[number]++;
    log->vector[number] = vector;
}

static inline void oak_service_leave(oak_service_log *log, uint64_t now)
{
    if (!log->depth || --log->depth >= OAK_MOST_NESTED) return;
    unsigned number = log->under_way[log->depth].number;
    uint64_t entered = log->under_way[log->depth].entered, took = now > entered ? now - entered : 0;
    for (unsigned outer = 0; outer < log->depth; outer++) log->under_way[outer].entered += took;
    if (number >= OAK_MOST_SERVED) return;
    log->cycles[number] += took;
    if (took > log->longest[number]) log->longest[number] = took;
}

#endif
