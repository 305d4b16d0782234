/* codes.c — explanations of the codes of messages, from diagnostics.def. */
#include <oakspindle/look.h>

#include "base/text.h"

static const struct {
    const char *architecture, *code, *meaning, *wrong, *right;
} codes[] = {
#define DIAG(code, meaning, wrong, right)                   {"mcs51", code, meaning, wrong, right},
#define DIAG_FOR(architecture, code, meaning, wrong, right) {architecture, code, meaning, wrong, right},
#include "look/diagnostics.def"
};
enum { CODES = sizeof codes / sizeof *codes };

const char *oak_code_at(unsigned index, const char **wrong, const char **right)
{
    if (index >= CODES) return NULL;
    *wrong = codes[index].wrong;
    *right = codes[index].right;
    return codes[index].code;
}

const char *oak_code_architecture(unsigned index)
{
    return index < CODES ? codes[index].architecture : NULL;
}

static oak_status write_text(const oak_text_sink *out, const char *text)
{
    return out->write(out->context, text, oak_length(text));
}

/* Text with every line moved in, or folded at `width` columns. */
static oak_status write_moved(const oak_text_sink *out, const char *text)
{
    oak_status status = write_text(out, "    ");
    for (; *text && !status; text++) {
        status = out->write(out->context, text, 1);
        if (*text == '\n' && !status) status = write_text(out, "    ");
    }
    return status ? status : write_text(out, "\n");
}

static oak_status write_folded(const oak_text_sink *out, const char *text)
{
    enum { WIDTH = 76 };
    oak_status status = OAK_OK;
    while (*text && !status) {
        size_t length = 0, last = 0;
        while (text[length] && (length < WIDTH || !last)) {
            if (text[length] == ' ') last = length;
            length++;
        }
        if (text[length]) length = last;
        status = out->write(out->context, text, length);
        if (!status) status = write_text(out, "\n");
        text += length;
        while (*text == ' ') text++;
    }
    return status;
}

oak_status oak_explain_code(const char *code, const oak_text_sink *out)
{
    for (unsigned i = 0; i < CODES; i++) {
        if (!oak_same(code, codes[i].code)) continue;
        oak_status status = write_text(out, code);
        if (!status) status = write_text(out, "\n\n");
        if (!status) status = write_folded(out, codes[i].meaning);
        if (status || !*codes[i].wrong) return status;
        if (!status) status = write_text(out, "\nwrong:\n");
        if (!status) status = write_moved(out, codes[i].wrong);
        if (!status) status = write_text(out, "\nright:\n");
        return status ? status : write_moved(out, codes[i].right);
    }
    return OAK_NOT_FOUND;
}
