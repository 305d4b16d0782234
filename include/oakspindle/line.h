/* line.h — over a line to a programmer or a board: whole files (XMODEM, YMODEM), and images into chips.
 *
 * A *talk* is a line port and what both ends need beside it. Files go over it by oak_file_send and oak_file_receive. Chips are reached by a
 * *conversation*: what a programmer can be asked for. `oak_peg` is ours (docs/programmer.md); another one is written against this header:
 * fill in an oak_conversation. What is done with a chip (compare, erase, write, verify) is the same over all of them. */
#ifndef OAKSPINDLE_LINE_H
#define OAKSPINDLE_LINE_H

#include <oakspindle/image.h>
#include <oakspindle/port.h>

#ifdef __cplusplus
extern "C" {
#endif

/* ------------------------------------------------------------------------------------------ a talk */

typedef struct oak_progress {
    const char *doing; /* "sending", "erasing" …; stays valid */
    uint64_t done, of; /* bytes; of: 0 where nobody knows */
    unsigned again;    /* packets that had to go, or were asked for, a second time */
} oak_progress;

/* The caller fills in host, line, and what else it wants; the rest begins as 0. One talk at a time on a line. */
typedef struct oak_talk {
    const oak_host *host;
    oak_line_port line;
    uint32_t wait_ms; /* for an answer; 0: as the conversation has it */
    unsigned retries; /* of one packet, before it is given up; 0: 10 */
    void *context;
    /* May be NULL. False: it is to end; the other side is left well, and the call returns OAK_INTERRUPTED. */
    bool (*goes_on)(void *context, const oak_progress *progress);
    oak_progress progress;
    char why[240]; /* after anything but OAK_OK: what happened, for a person */
    /* What has arrived and was not asked for yet. */
    uint8_t heard[256];
    size_t heard_at, heard_count;
    uint8_t sequence, most; /* of oak_peg: of the last question; bytes a packet may have */
    uint32_t patience_ms;   /* so long the programmer may be silent */
} oak_talk;

/* What conversations are made of. Sends bytes; OAK_IO_ERROR. */
OAK_MUST_USE oak_status oak_talk_say(oak_talk *talk, const void *bytes, size_t count);
/* The next byte, if it comes within so many milliseconds; otherwise OAK_NOT_FOUND. */
OAK_MUST_USE oak_status oak_talk_hear(oak_talk *talk, uint32_t wait_ms, uint8_t *byte);
/* Drops what comes until nothing has come for so long (0: what is there already). */
OAK_MUST_USE oak_status oak_talk_hush(oak_talk *talk, uint32_t quiet_ms);
/* Waits until these bytes have come, among any others. OAK_NOT_FOUND when nothing came for so long, or far too much. */
OAK_MUST_USE oak_status oak_talk_await(oak_talk *talk, const void *bytes, size_t count, uint32_t wait_ms);
/* Tells the caller how far it is; OAK_INTERRUPTED when it is to end. */
OAK_MUST_USE oak_status oak_talk_progress(oak_talk *talk, const char *doing, uint64_t done, uint64_t of);
/* Keeps a sentence for the person (`%s` alone stands for what), and returns the status. */
oak_status oak_talk_fails(oak_talk *talk, oak_status status, const char *sentence, const char *what);

/* The remainder of bytes by x^16 + x^12 + x^5 + 1, the high bit of each first, continued from `from`: XMODEM begins with 0, pegs with
 * 0xFFFF. */
uint16_t oak_crc16(uint16_t from, const void *bytes, size_t count);
/* How bytes of a chip are compared: their CRC from 0xFFFF on in the upper half, their sum in the lower one. One of 65,536 differences has no effect on a CRC
 * alone, wherever it lies and whatever stands around it. */
uint32_t oak_chip_sum(const void *bytes, size_t count);

/* ------------------------------------------------------------------------------------------ files */

typedef enum oak_file_way {
    OAK_XMODEM, /* 128 bytes a packet, with a checksum; the sender adds a CRC where the other end asks for one */
    OAK_XMODEM_CRC, /* asks for a CRC, as a sender accepts nothing less */
    OAK_XMODEM_1K,  /* the same, with packets of 1024 bytes */
    OAK_YMODEM      /* the same, and the name and size of the file first; several files */
} oak_file_way;

typedef struct oak_file {
    const char *name; /* of YMODEM; without folders */
    const uint8_t *bytes;
    size_t size;
    uint64_t modified; /* seconds since 1970; 0: not said */
} oak_file;

/* Sends files (one, but with YMODEM). XMODEM fills the last packet with 0x1A. OAK_INTERRUPTED (either end has cancelled), OAK_NOT_FOUND (nobody answers), OAK_IO_ERROR,
 * OAK_REFUSED (the other end does not understand); `why` says more. */
OAK_MUST_USE oak_status oak_file_send(oak_talk *talk, oak_file_way way, const oak_file *files, size_t count);

/* Takes what arrives. `begin` may refuse a file (false: the transfer is cancelled), `size` is UINT64_MAX where nobody has said it. `write` gets the bytes in order; a
 * status other than OAK_OK ends it. */
typedef struct oak_file_sink {
    void *context;
    bool (*begin)(void *context, const char *name, uint64_t size);
    oak_status (*write)(void *context, const uint8_t *bytes, size_t count);
} oak_file_sink;
/* As oak_file_send. With XMODEM the end of the last packet comes as well. */
OAK_MUST_USE oak_status oak_file_receive(oak_talk *talk, oak_file_way way, const oak_file_sink *sink);

/* ------------------------------------------------------------------------------------------ chips */

/* Some addresses of the chip in the socket, as images have them. */
typedef struct oak_chip_region {
    uint32_t base, size; /* bytes */
    uint32_t page;       /* bytes that are written at once, a power of two */
    uint32_t erased;     /* bytes that are erased at once, a multiple of `page`; 0: written without erasing */
    char name[16];
} oak_chip_region;

enum { OAK_CAN_ERASE = 1, OAK_CAN_LOCK = 2, OAK_CAN_RESET = 4, OAK_CAN_RUN = 8, OAK_CAN_CHECK = 16 };
enum { OAK_MOST_REGIONS = 8 };
typedef struct oak_chip_found {
    char part[32]; /* its name; "" where the programmer does not know */
    bool locked;
    unsigned can; /* OAK_CAN_… */
    oak_chip_region regions[OAK_MOST_REGIONS];
    unsigned region_count;
} oak_chip_found;

/* A way of talking with a programmer. Every call sees to its own repetitions, and leaves a sentence in `why` when it fails. Addresses are those of the
 * image. OAK_REFUSED: the programmer does not want to (locked, outside). */
typedef struct oak_conversation {
    const char *name, *title;
    /* Finds out who is there; also after a line that was lost. */
    oak_status (*greet)(oak_talk *talk, oak_chip_found *found);
    /* Whole units of erasing; 0 bytes: all there is, which opens a locked chip. NULL, or not among what it `can`: it cannot. */
    oak_status (*erase)(oak_talk *talk, uint32_t address, uint32_t count);
    /* Within a page. */
    oak_status (*write)(oak_talk *talk, uint32_t address, const uint8_t *bytes, uint32_t count);
    oak_status (*read)(oak_talk *talk, uint32_t address, uint8_t *bytes, uint32_t count);
    /* oak_chip_sum of what is there. NULL or OAK_CAN_CHECK missing: everything is read. */
    oak_status (*check)(oak_talk *talk, uint32_t address, uint32_t count, uint32_t *sum);
    oak_status (*lock)(oak_talk *talk);
    /* The chip is let go of: stands still, or (run) begins. The lamps of the programmer say whether it was good. */
    oak_status (*leave)(oak_talk *talk, bool run, bool good);
} oak_conversation;

/* The conversation of docs/programmer.md. */
extern const oak_conversation oak_peg;

/* A byte that is not as it should be. */
typedef struct oak_chip_difference {
    uint32_t address;
    uint8_t wanted, found;
} oak_chip_difference;
enum { OAK_MOST_DIFFERENCES = 16 };

typedef struct oak_chip_job {
    const oak_conversation *conversation;
    const oak_image *image;
    const char *part; /* in the socket must be this one; NULL: any */
    bool erases_all;  /* what the image does not say is blank afterwards; else it stays */
    bool verifies_only;
    bool locks, runs;
    /* What came of it. */
    oak_chip_found found;
    uint64_t bytes, written,
        same; /* of the image; those of pages that were written; those that were right already */
    uint32_t pages, erased; /* pages written, units erased */
    oak_chip_difference differences[OAK_MOST_DIFFERENCES];
    uint64_t difference_count; /* in all */
} oak_chip_job;

/* Brings an image into the chip: what is right there already stays, what must be is erased (what lies beside it is kept), pages are written, everything is verified. OAK_REFUSED
 * when it cannot be or differs in the end (difference_count); then `why` says it. A call after one that was lost goes on where that ended. */
OAK_MUST_USE oak_status oak_chip_send(oak_talk *talk, oak_chip_job *job);
/* Reads the regions of the chip. */
OAK_MUST_USE oak_status oak_chip_receive(oak_talk *talk, oak_chip_job *job, oak_image *image);
/* Erases all of it, or only looks whether it is (`blank`: then the differences are what is not). */
OAK_MUST_USE oak_status oak_chip_erase(oak_talk *talk, oak_chip_job *job);
OAK_MUST_USE oak_status oak_chip_blank(oak_talk *talk, oak_chip_job *job);

#ifdef __cplusplus
}
#endif
#endif
