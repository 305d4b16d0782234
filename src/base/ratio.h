/* ratio.h — a * b / c in whole numbers, without overflow in between. */
#ifndef OAK_BASE_RATIO_H
#define OAK_BASE_RATIO_H

#include <stdbool.h>
#include <stdint.h>

/* Rounded up or down; UINT64_MAX when the result does not fit. c is not 0. */
uint64_t oak_scaled(uint64_t a, uint64_t b, uint64_t c, bool up);

#endif
