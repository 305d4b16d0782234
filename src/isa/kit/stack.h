/* stack.h — a stack of words that grows down in a memory of 64 KiB, where code, data and stack share it: how far it may grow before it meets
 * something of the program's, and which of its words an interrupt has put there. For architectures with a guard (guard.c). */
#ifndef OAK_ISA_KIT_STACK_H
#define OAK_ISA_KIT_STACK_H

#include "isa/kit/kit.h"

enum { KIT_STACK_SPAN = 0x10000, KIT_MOST_FRAMES = 16 /* handlers inside one another */ };

/* What lies where, as the program says. */
typedef struct kit_objects {
    uint8_t at[KIT_STACK_SPAN + 1]; /* 1 where something of the program's begins, or ends before */
    uint32_t free_floor, free_from; /* no such place above the one, up to the other */
} kit_objects;

/* What a tape holds. */
typedef struct kit_stack {
    uint32_t
        floor; /* the lowest pointer that may be pushed to without a second look; KIT_STACK_SPAN: not known */
    unsigned depth;
    struct {
        uint16_t sp, vector;
    } frame[KIT_MOST_FRAMES]; /* of handlers under way: where the return address lies */
} kit_stack;

/* The floor of a stack that begins at `top`, when it was looked for before. */
static inline uint32_t kit_known_floor(const kit_objects *objects, uint32_t top)
{
    uint32_t inside = top - 2 - objects->free_floor;
    return inside < objects->free_from - objects->free_floor ? objects->free_floor : KIT_STACK_SPAN;
}
/* The pointer goes from `top` down to `sp`: somebody is told where that is beyond the floor. */
void kit_meets_data(oak_core *core, kit_objects *objects, kit_stack *stack, uint32_t top, uint32_t sp,
                    uint64_t now);
/* A push that somebody has to look at: into ROM, over code, beyond the floor. The pointer, which stands at `top`, is the caller's to move.
 * False with the fault set. */
bool kit_push_bytes(oak_core *core, kit_objects *objects, kit_stack *stack, uint32_t top, uint32_t word,
                    unsigned bytes, uint64_t now);
static inline bool kit_push(oak_core *core, kit_objects *objects, kit_stack *stack, uint32_t top,
                            uint32_t word, uint64_t now)
{
    return kit_push_bytes(core, objects, stack, top, word, 2, now);
}
/* Is the word at `sp` the first one behind the RAM? Then more was taken than put there: true, with the fault set. */
bool kit_underflows(oak_core *core, uint32_t sp);
/* An interrupt has pushed its return address to `sp`, or nothing when it could not be. */
void kit_begin_frame(oak_core *core, kit_stack *stack, uint32_t sp, unsigned number, uint32_t vector);
/* A return has taken a word from `sp`, while handlers are under way: is it the one an interrupt put there? */
void kit_returned(oak_core *core, kit_stack *stack, uint32_t sp, uint64_t now);
static inline unsigned kit_frame_vector(const kit_stack *stack)
{
    return stack->depth ? stack->frame[stack->depth - 1].vector : 0;
}
/* Something of the program's lies here: a stack that grows down meets its end. */
void kit_mark_object(kit_objects *objects, kit_stack *stack, uint32_t address, uint32_t size);

#endif
