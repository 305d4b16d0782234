/* diag.c — see diag.h. */
#include "base/diag.h"

static void say_nothing(void *context, const oak_diagnostic *diagnostic)
{
    (void)context, (void)diagnostic;
}

const oak_diag_sink oak_silent = {.report = say_nothing};

void oak_refuse(const oak_diag_sink *sink, const char *code, const char *file, uint32_t line, uint32_t column,
                const char *hint, const char *format, ...)
{
    if (!sink || !sink->report) return;
    char message[400];
    va_list arguments;
    va_start(arguments, format);
    oak_vformat(message, sizeof message, format, arguments);
    va_end(arguments);
    oak_diagnostic diagnostic = {.severity = OAK_ERROR,
                                 .code = code,
                                 .file = file,
                                 .line = line,
                                 .column = column,
                                 .column_end = column ? column + 1 : 0,
                                 .message = message,
                                 .hint = hint};
    sink->report(sink->context, &diagnostic);
}
