/* words.h — what people write that an architecture does not have, and examples for messages, as tables out of KIT_WORDS (the .def, in
 * quotes): remedies, trade, messages. Its rows: REMEDY, TRADE, MESSAGE. And how a refusal gets its text. */
static const oak_remedy remedies[] = {
#define REMEDY(mnemonic, operands, hint) {mnemonic, operands, hint},
#include KIT_WORDS
    {0}};
static const char *const trade[OAK_TRADES] = {
#define TRADE(kind, hint) [OAK_TRADE_##kind] = hint,
#include KIT_WORDS
};
static const oak_message messages[] = {
#define MESSAGE(code, meaning, wrong, right) {code, meaning, wrong, right},
#include KIT_WORDS
    {0}};
#define SAY(why, ...)  oak_format((why)->message, sizeof(why)->message, __VA_ARGS__)
#define HINT(why, ...) oak_format((why)->hint, sizeof(why)->hint, __VA_ARGS__)
