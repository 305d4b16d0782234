/* talk.h — shared by the files of this room. */
#ifndef OAK_LINE_TALK_H
#define OAK_LINE_TALK_H

#include <oakspindle/line.h>

#include "base/bytes.h"
#include "base/text.h"

enum { TALK_MUCH = 1 << 20 }; /* more bytes than this without what is waited for are no answer any more */

unsigned talk_retries(const oak_talk *talk);
/* OAK_INTERRUPTED when it is to end here; nothing has moved since. */
OAK_MUST_USE oak_status talk_goes_on(oak_talk *talk);

#endif
