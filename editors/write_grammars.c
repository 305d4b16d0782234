/* write_grammars.c — the words of our languages as editors have them that colour without a server: out of the tables of instructions, so that they are
 * written once. `./dev editors` runs it; a test holds the files against what it writes.
 *
 *   write_grammars FOLDER */
#include <oakspindle/linux.h>
#include <oakspindle/open.h>
#include <oakspindle/syntax.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { MOST = 3000, LONGEST = 40 };
typedef struct words {
    char list[MOST][LONGEST];
    size_t count;
} words;

static words mnemonics, directives, registers;

static void add(words *to, const char *word)
{
    char lower[LONGEST];
    size_t i = 0;
    for (; word[i] && i + 1 < LONGEST; i++)
        lower[i] = (char)(word[i] >= 'A' && word[i] <= 'Z' ? word[i] + 32 : word[i]);
    lower[i] = 0;
    for (size_t k = 0; k < to->count; k++)
        if (!strcmp(to->list[k], lower)) return;
    if (to->count < MOST) strcpy(to->list[to->count++], lower);
}

static int ascending(const void *a, const void *b)
{
    return strcmp(a, b);
}

static int gather(void)
{
    oak_host host = oak_linux_host();
    const char *name;
    for (unsigned i = 0; (name = oak_part_name_at(i)); i++) {
        oak_part *part;
        oak_syntax *syntax;
        const char *word;
        if (oak_part_named(name, &oak_printer, &part)) return 1;
        if (oak_syntax_open(&host, part, &syntax)) return 1;
        for (unsigned k = 0; (word = oak_syntax_mnemonic(syntax, k)); k++) add(&mnemonics, word);
        for (unsigned k = 0; (word = oak_syntax_directive(syntax, k)); k++) add(&directives, word);
        for (unsigned k = 0; k < part->architecture->register_count; k++) {
            add(&registers, part->architecture->registers[k].name);
            add(&registers, oak_register_called(part->architecture, k));
        }
        oak_syntax_close(syntax);
        oak_part_free(part);
    }
    words *const all[] = {&mnemonics, &directives, &registers};
    for (unsigned i = 0; i < 3; i++) qsort(all[i]->list, all[i]->count, LONGEST, ascending);
    return 0;
}

static FILE *open_in(const char *folder, const char *name)
{
    char path[1000];
    snprintf(path, sizeof path, "%s/%s", folder, name);
    FILE *file = fopen(path, "w");
    if (!file) perror(path), exit(1);
    return file;
}

static void close_all(FILE *file)
{
    if (fclose(file)) perror("writing"), exit(1);
}

/* Words one behind the other, those of letters only where `plain`. */
static void put(FILE *to, const words *from, const char *between, bool plain, const char *point)
{
    bool any = false;
    for (size_t i = 0; i < from->count; i++) {
        if (plain && strpbrk(from->list[i], ".'")) continue;
        if (any) fputs(between, to);
        any = true;
        for (const char *c = from->list[i]; *c; c++)
            if (*c == '.') fputs(point, to);
            else fputc(*c, to);
    }
}

static void write_vim(const char *folder)
{
    FILE *to = open_in(folder, "neovim/syntax/spindle.vim");
    fputs("\" Made by ./dev editors out of the tables of instructions.\nif exists('b:current_syntax') | "
          "finish | endif\nsyntax case ignore\nsetlocal iskeyword+=.\n",
          to);
    static const char *const kinds[] = {"spindleOperation", "spindleDirective", "spindleRegister"};
    const words *const all[] = {&mnemonics, &directives, &registers};
    for (unsigned i = 0; i < 3; i++) {
        fprintf(to, "syntax keyword %s ", kinds[i]);
        put(to, all[i], " ", false, ".");
        fputc('\n', to);
    }
    fputs(
        "syntax match spindleLabel /^\\s*[A-Za-z_.?][A-Za-z0-9_.?]*:/\n"
        "syntax match spindleNumber /\\<\\d[0-9A-Za-z_]*\\>/\n"
        "syntax region spindleText start=/\"/ skip=/\\\\./ end=/\"/ oneline\n"
        "syntax region spindleText start=/\\k\\@<!'/ skip=/\\\\./ end=/'/ oneline\n"
        "syntax match spindleComment /;.*$/\nsyntax match spindleComment /\\/\\/.*$/\n"
        "highlight default link spindleOperation Statement\nhighlight default link spindleDirective PreProc\n"
        "highlight default link spindleRegister Identifier\nhighlight default link spindleLabel Function\n"
        "highlight default link spindleNumber Number\nhighlight default link spindleText String\n"
        "highlight default link spindleComment Comment\nlet b:current_syntax = 'spindle'\n",
        to);
    close_all(to);
}

static void write_kate(const char *folder)
{
    FILE *to = open_in(folder, "kate/spindle.xml");
    fputs("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<!DOCTYPE language>\n<!-- Made by ./dev editors out "
          "of the tables of instructions. -->\n"
          "<language name=\"Spindle\" section=\"Assembler\" extensions=\"*.asm;*.inc\" version=\"1\" "
          "kateversion=\"5.0\" casesensitive=\"0\">\n<highlighting>\n",
          to);
    static const char *const lists[] = {"operations", "directives", "registers"};
    const words *const all[] = {&mnemonics, &directives, &registers};
    for (unsigned i = 0; i < 3; i++) {
        fprintf(to, "<list name=\"%s\"><item>", lists[i]);
        for (size_t k = 0; k < all[i]->count; k++) {
            if (k) fputs("</item><item>", to);
            for (const char *c = all[i]->list[k]; *c; c++)
                if (*c == '\'') fputs("&#39;", to);
                else fputc(*c, to);
        }
        fputs("</item></list>\n", to);
    }
    fputs("<contexts><context name=\"line\" attribute=\"plain\" lineEndContext=\"#stay\">\n"
          "<RegExpr attribute=\"label\" context=\"#stay\" String=\"^\\s*[A-Za-z_.?][\\w.?]*:\"/>\n"
          "<keyword attribute=\"operation\" context=\"#stay\" String=\"operations\"/>\n"
          "<keyword attribute=\"directive\" context=\"#stay\" String=\"directives\"/>\n"
          "<keyword attribute=\"register\" context=\"#stay\" String=\"registers\"/>\n"
          "<RegExpr attribute=\"number\" context=\"#stay\" String=\"\\b\\d\\w*\"/>\n"
          "<RegExpr attribute=\"text\" context=\"#stay\" String=\"&quot;([^&quot;\\\\]|\\\\.)*&quot;\"/>\n"
          "<RegExpr attribute=\"comment\" context=\"#stay\" String=\"(;|//).*$\"/>\n"
          "</context></contexts>\n<itemDatas>\n<itemData name=\"plain\" "
          "defStyleNum=\"dsNormal\"/>\n<itemData name=\"label\" defStyleNum=\"dsFunction\"/>\n"
          "<itemData name=\"operation\" defStyleNum=\"dsKeyword\"/>\n<itemData name=\"directive\" "
          "defStyleNum=\"dsPreprocessor\"/>\n"
          "<itemData name=\"register\" defStyleNum=\"dsVariable\"/>\n<itemData name=\"number\" "
          "defStyleNum=\"dsDecVal\"/>\n"
          "<itemData name=\"text\" defStyleNum=\"dsString\"/>\n<itemData name=\"comment\" "
          "defStyleNum=\"dsComment\"/>\n</itemDatas>\n</highlighting>\n"
          "<general><comments><comment name=\"singleLine\" start=\";\"/></comments><keywords "
          "casesensitive=\"0\" additionalDeliminator=\"'\" weakDeliminator=\".\"/></general>\n</language>\n",
          to);
    close_all(to);
}

static void write_code(const char *folder)
{
    FILE *to = open_in(folder, "code/syntaxes/spindle.tmLanguage.json");
    static const char *const scopes[] = {"keyword.mnemonic.spindle", "keyword.control.directive.spindle",
                                         "variable.language.register.spindle"};
    const words *const all[] = {&mnemonics, &directives, &registers};
    fputs(
        "{\n \"name\": \"Spindle\",\n \"scopeName\": \"source.spindle\",\n \"comment\": \"Made by ./dev "
        "editors out of the tables of instructions.\",\n \"patterns\": [\n"
        "  {\"name\": \"comment.line.spindle\", \"match\": \"(;|//).*$\"},\n"
        "  {\"name\": \"string.quoted.double.spindle\", \"match\": "
        "\"\\\"([^\\\"\\\\\\\\]|\\\\\\\\.)*\\\"\"},\n"
        "  {\"name\": \"entity.name.function.spindle\", \"match\": \"^\\\\s*[A-Za-z_.?][\\\\w.?]*(?=:)\"},\n"
        "  {\"name\": \"constant.numeric.spindle\", \"match\": \"\\\\b\\\\d\\\\w*\"}",
        to);
    for (unsigned i = 0; i < 3; i++) {
        fprintf(to, ",\n  {\"name\": \"%s\", \"match\": \"(?i)\\\\b(", scopes[i]);
        put(to, all[i], "|", true, "\\\\.");
        fputs(")\\\\b\"}", to);
    }
    fputs("\n ]\n}\n", to);
    close_all(to);
}

int main(int count, char **arguments)
{
    if (count != 2 || gather()) return 1;
    write_vim(arguments[1]);
    write_kate(arguments[1]);
    write_code(arguments[1]);
    return 0;
}
