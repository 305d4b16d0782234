/* course.h — how a number goes on by time alone, as long as nobody reaches what it belongs to: it stays, or counts. */
#ifndef OAK_BASE_COURSE_H
#define OAK_BASE_COURSE_H

#include <stdbool.h>
#include <stdint.h>

typedef struct oak_course {
    uint64_t until; /* it holds before this cycle */
    uint32_t step;  /* cycles from a value to the next one; 0: it stays as it is */
    bool down;      /* and counts down */
    uint8_t shift;  /* the lowest of its bits that are shown */
    uint8_t bit;    /* where they are shown */
    uint32_t mask;  /* so many: a mask from bit 0 on */
    uint64_t value; /* at the cycle `from`, from which on it counts */
    uint64_t from;
} oak_course;

/* What a word in which it is shown is at a cycle for which it holds, not before the one it was asked for. */
static inline uint32_t oak_course_word(const oak_course *course, uint32_t word, uint64_t now)
{
    if (!course->step) return word;
    uint64_t gone = now - course->from, steps = course->step == 1 ? gone : gone / course->step,
             value = course->down ? course->value - steps : course->value + steps;
    return (word & ~(course->mask << course->bit)) | ((uint32_t)(value >> course->shift) & course->mask)
                                                         << course->bit;
}

/* It is another one at this cycle, if not before. */
static inline void oak_course_ends(oak_course *course, uint64_t at)
{
    if (at < course->until) course->until = at;
}

#endif
