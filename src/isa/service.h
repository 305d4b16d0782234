/* service.h — how often each interrupt or exception was handled, and how long. A core calls it when it enters and leaves a
 * handler; the plain loop never does. Cycles of a handler that interrupts another count for itself alone. */
#ifndef OAK_ISA_SERVICE_H
#define OAK_ISA_SERVICE_H

#include <oakspindle/port.h>

enum { OAK_MOST_SERVED = 96, OAK_MOST_NESTED = 32, OAK_MOST_ASKED = 112 };

typedef struct oak_service_log {
    uint64_t count[OAK_MOST_SERVED], cycles[OAK_MOST_SERVED], longest[OAK_MOST_SERVED];
    uint32_t vector[OAK_MOST_SERVED]; /* where it was entered last */
    struct {
        uint16_t number;
        uint64_t entered; /* later by what inner ones took */
    } under_way[OAK_MOST_NESTED];
    unsigned depth;
    /* From a request to the first instruction of its handler. What asks is numbered by the core's lines, behind its own exceptions. */
    uint64_t asked[OAK_MOST_ASKED]; /* the cycle after the one in which it did; 0: it does not */
    uint64_t taken;                 /* the same, of what is being entered */
    uint64_t waited[OAK_MOST_SERVED];
    uint32_t waits[OAK_MOST_SERVED], shortest_wait[OAK_MOST_SERVED], longest_wait[OAK_MOST_SERVED];
} oak_service_log;

/* A line rises or falls: what has been asked for by then and nobody has heard is forgotten. */
static inline void oak_service_ask(oak_service_log *log, unsigned which, bool level, uint64_t now)
{
    if (which >= OAK_MOST_ASKED) return;
    if (!level) log->asked[which] = 0;
    else if (!log->asked[which]) log->asked[which] = now + 1;
}

/* A reset of the chip: nothing is under way any more, and nothing asks. */
static inline void oak_service_reset(oak_service_log *log)
{
    log->depth = 0;
    log->taken = 0;
    for (unsigned i = 0; i < OAK_MOST_ASKED; i++) log->asked[i] = 0;
}

/* What has asked is being entered; of several that share a handler, the first one waited longest. */
static inline void oak_service_take(oak_service_log *log, unsigned which)
{
    if (which >= OAK_MOST_ASKED || !log->asked[which]) return;
    if (!log->taken || log->asked[which] < log->taken) log->taken = log->asked[which];
    log->asked[which] = 0;
}

static inline void oak_service_take_all(oak_service_log *log, uint32_t lines)
{
    for (unsigned line = 0; lines; line++, lines >>= 1)
        if (lines & 1) oak_service_take(log, line);
}

/* The first instruction of the handler that has been entered comes now. */
static inline void oak_service_begins(oak_service_log *log, uint64_t now)
{
    uint64_t asked = log->taken;
    log->taken = 0;
    if (!asked || !log->depth || log->depth > OAK_MOST_NESTED || now + 1 < asked) return;
    unsigned number = log->under_way[log->depth - 1].number;
    uint64_t wait = now + 1 - asked;
    if (number >= OAK_MOST_SERVED) return;
    if (wait > UINT32_MAX) wait = UINT32_MAX;
    if (!log->waits[number] || wait < log->shortest_wait[number]) log->shortest_wait[number] = (uint32_t)wait;
    if (wait > log->longest_wait[number]) log->longest_wait[number] = (uint32_t)wait;
    log->waited[number] += wait;
    log->waits[number]++;
}

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
