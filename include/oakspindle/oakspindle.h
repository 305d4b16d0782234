/* oakspindle.h — all of the library. */
#ifndef OAKSPINDLE_OAKSPINDLE_H
#define OAKSPINDLE_OAKSPINDLE_H

#include <oakspindle/architecture.h>
#include <oakspindle/asm.h>
#include <oakspindle/board.h>
#include <oakspindle/diag.h>
#include <oakspindle/image.h>
#include <oakspindle/line.h>
#include <oakspindle/linux.h>
#include <oakspindle/look.h>
#include <oakspindle/machine.h>
#include <oakspindle/open.h>
#include <oakspindle/part.h>
#include <oakspindle/port.h>
#include <oakspindle/print.h>
#include <oakspindle/programmer.h>
#include <oakspindle/serve.h>
#include <oakspindle/session.h>
#include <oakspindle/status.h>
#include <oakspindle/syntax.h>
#include <oakspindle/trace.h>
#include <oakspindle/trial.h>
#include <oakspindle/version.h>

#endif
