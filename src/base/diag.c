/* diag.c — see diag.h. */
#include "base/diag.h"

static void say_nothing(void *context, const oak_diagnostic *diagnostic)
{
    (void)context, (void)diagnostic;
}

const oak_diag_sink oak_silent = {.report = say_nothing};

static void tell(const oak_diag_sink *sink, oak_diagnostic diagnostic, const char *format, va_list arguments)
{
    char message[400];
    if (!sink || !sink->report) return;
    oak_vformat(message, sizeof message, format, arguments);
    diagnostic.column_end = diagnostic.column ? diagnostic.column + 1 : 0;
    diagnostic.message = message;
    sink->report(sink->context, &diagnostic);
}

void oak_refuse(const oak_diag_sink *sink, const char *code, const char *file, uint32_t line, uint32_t column,
                const char *hint, const char *format, ...)
{
    va_list arguments;
    va_start(arguments, format);
    tell(sink,
         (oak_diagnostic){
             .severity = OAK_ERROR, .code = code, .file = file, .line = line, .column = column, .hint = hint},
         format, arguments);
    va_end(arguments);
}

void oak_remark(const oak_diag_sink *sink, const char *code, const char *file, uint32_t line, uint32_t column,
                const char *hint, const char *format, ...)
{
    va_list arguments;
    va_start(arguments, format);
    tell(sink,
         (oak_diagnostic){
             .severity = OAK_NOTE, .code = code, .file = file, .line = line, .column = column, .hint = hint},
         format, arguments);
    va_end(arguments);
}
