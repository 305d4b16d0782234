/* chip_file.h — a chip whose memory is a file (docs/programmer.md): whatever ends the tool, a page is in it as before or as after. */
#ifndef SPINDLE_CHIP_FILE_H
#define SPINDLE_CHIP_FILE_H

#include "cli.h"

typedef struct chip_file {
    int file;
    oak_chip_region regions[OAK_MOST_REGIONS];
    unsigned region_count;
    long starts[OAK_MOST_REGIONS], erasures[OAK_MOST_REGIONS], lock, journal; /* offsets */
    bool is_new;
} chip_file;

/* Opens a chip for a part, or makes a blank one with these regions; those of the file count. False after a message. */
bool chip_file_open(cli *self, chip_file *chip, const char *path, const char *part,
                    const oak_chip_region *regions, unsigned count);
/* Brings what is in the file into a programmer. */
bool chip_file_fill(cli *self, chip_file *chip, const char *path, oak_programmer *programmer);
/* As oak_programmer_setup's; the context is a chip_file. */
oak_status chip_file_keep(void *context, unsigned region, uint32_t at, const uint8_t *bytes, uint32_t count,
                          uint32_t erasures);
oak_status chip_file_keep_lock(void *context, bool locked);
void chip_file_close(chip_file *chip);

#endif
