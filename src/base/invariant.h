/* invariant.h — what must hold where it stands, whatever the input: a mistake of ours otherwise. Looked at in builds without NDEBUG. */
#ifndef OAK_BASE_INVARIANT_H
#define OAK_BASE_INVARIANT_H

#if defined NDEBUG || !__STDC_HOSTED__
#define OAK_INVARIANT(holds) ((void)sizeof(holds))
#else
#include <assert.h>
#define OAK_INVARIANT(holds) assert(holds)
#endif

#endif
