/* gpio.h — port pins: what the chip drives, what the outside drives, and what comes of it. */
#ifndef OAK_PERIPH_GPIO_H
#define OAK_PERIPH_GPIO_H

#include <oakspindle/part.h>

typedef struct oak_gpio {
    oak_stage stage;
    uint8_t pin_count;
    bool directed;                         /* pins are inputs unless `direction` has them as outputs */
    uint32_t latch;                        /* as last written by the program */
    uint32_t direction;                    /* 1: output */
    uint32_t pull_up;                      /* inputs held up weakly */
    uint32_t pulls, pull_down;             /* inputs that are held, and those held down */
    uint32_t falling, edges, edge_enabled; /* of ports whose flags come by one edge of each pin, `edges` */
    uint32_t own;                          /* pins that no other device is let to, whatever it drives */
    uint32_t alternate;                    /* pins that another device drives in place of the latch */
    uint32_t alternate_level;
    uint32_t forced;       /* of these, pins that are outputs then, whatever `direction` says */
    uint32_t driven;       /* pins the outside drives */
    uint32_t driven_level; /* and how */
    uint32_t pulled;       /* pins the outside pulls */
    uint32_t pulled_level; /* and where */
    uint32_t rise, fall;   /* edges that are waited for */
    uint32_t pending;      /* and have come */
    uint32_t seen;         /* levels when edges were looked for last */
    uint32_t read;         /* levels when an instruction read them last, at the cycle read_at */
    uint32_t chosen;       /* the one bit that it was for, 0 for all */
    bool loose;            /* inputs whose latch is high are not pulled up */
    uint32_t borrowed;     /* bits of the latch that an instruction has read on the pins and written back */
    uint64_t read_at;
} oak_gpio;

void oak_gpio_open(oak_gpio *gpio, const oak_part_port *port);
/* The levels a reading instruction sees. A floating pin reads as 1 where the port has no directions, else as 0. */
uint32_t oak_gpio_levels(const oak_gpio *gpio);
/* Pins that nothing drives or pulls. */
uint32_t oak_gpio_floating(const oak_gpio *gpio);
/* Pins that chip and outside drive against each other. */
uint32_t oak_gpio_contention(const oak_gpio *gpio);
oak_pin oak_gpio_pin(const oak_gpio *gpio, unsigned bit);
void oak_gpio_drive(oak_gpio *gpio, unsigned bit, oak_level level);

#endif
