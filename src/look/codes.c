/* codes.c — explanations of the codes of messages, from diagnostics.def and what the architectures add. */
#include <oakspindle/look.h>

#include "base/text.h"
#include "isa/isa.h"

static const oak_message general[] = {
#define DIAG(code, meaning, wrong, right) {code, meaning, wrong, right},
#include "look/diagnostics.def"
};
enum { GENERAL = sizeof general / sizeof *general };

/* One of them with an example, in some architecture's words where it has none of its own. */
static bool code_at(unsigned index, oak_message *found, const char **architecture)
{
    *architecture = oak_isa_list[0]->about.name;
    if (index < GENERAL) *found = general[index];
    for (unsigned i = 0, left = index - GENERAL; oak_isa_list[i]; i++)
        for (const oak_message *one = oak_isa_list[i]->messages; one && one->code; one++) {
            bool example = index < GENERAL && !one->meaning && oak_same(one->code, found->code);
            if (example ? *found->wrong : index < GENERAL || !one->meaning || left--) continue;
            *architecture = oak_isa_list[i]->about.name;
            found->wrong = one->wrong;
            found->right = one->right;
            if (example) continue;
            *found = *one;
            return true;
        }
    return index < GENERAL;
}

const char *oak_code_at(unsigned index, const char **wrong, const char **right)
{
    oak_message one;
    const char *architecture;
    if (!code_at(index, &one, &architecture)) return NULL;
    if (wrong) *wrong = one.wrong;
    if (right) *right = one.right;
    return one.code;
}

const char *oak_code_architecture(unsigned index)
{
    oak_message one;
    const char *architecture;
    return code_at(index, &one, &architecture) ? architecture : NULL;
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
    if (!code || !out) return OAK_MISUSE;
    oak_message one;
    const char *architecture;
    for (unsigned i = 0; code_at(i, &one, &architecture); i++) {
        if (!oak_same(code, one.code)) continue;
        oak_status status = write_text(out, code);
        if (!status) status = write_text(out, "\n\n");
        if (!status) status = write_folded(out, one.meaning);
        if (status || !*one.wrong) return status;
        if (!status) status = write_text(out, "\nwrong:\n");
        if (!status) status = write_moved(out, one.wrong);
        if (!status) status = write_text(out, "\nright:\n");
        return status ? status : write_moved(out, one.right);
    }
    return OAK_NOT_FOUND;
}
