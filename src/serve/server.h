/* server.h — the inside of the language server.
 *
 *   server.c     messages: taking them apart, who answers which, life and end
 *   texts.c      the texts that editors have open, and places in them
 *   units.c      what is assembled together: diagnostics, the last good program, where names stand
 *   names.c      from a word to its definition and its uses: jumping, renaming, outlines
 *   calls.c      who calls whom
 *   tells.c      what an instruction, a symbol or a number is
 *   costs.c      what lines and routines cost
 *   offers.c     completion, colours, folding, repairs, the layout of lines
 */
#ifndef OAK_SERVE_SERVER_H
#define OAK_SERVE_SERVER_H

#include <cjson/cJSON.h>
#include <oakspindle/serve.h>
#include <oakspindle/syntax.h>
#include <string.h>

#include "base/arena.h"
#include "base/text.h"

enum { MOST_WORDS = 120, LONGEST_NAME = 200, LONGEST_PATH = 4096 };

/* A source as the editor has it, or as it lies on the disk. */
typedef struct serve_text {
    char *path;
    oak_buf bytes;
    size_t *lines; /* where each begins */
    size_t line_count, line_room;
    bool open;        /* in an editor */
    int version;      /* as the editor counts */
    unsigned read_at; /* the turn in which it was read from the disk */
} serve_text;

/* A name where it stands. */
typedef struct serve_name {
    const char *name; /* whole: of a local one with the label that it belongs to */
    const char *file;
    uint32_t line, at, length; /* from 0; bytes */
    uint32_t
        left_out; /* bytes of the whole name that do not stand here: of the label or structure it belongs to */
    uint8_t kind; /* oak_word_kind */
    bool exports; /* this is where it is exported */
} serve_name;

typedef struct serve_edit {
    char *path, *text;
    uint32_t line, edit_from, edit_to; /* line from 0, bytes */
    bool safe;
} serve_edit;

/* What is assembled together. */
typedef struct serve_unit {
    char *key; /* path of its first source */
    oak_part *part;
    char *part_name;
    oak_syntax *syntax;
    oak_program *program; /* the last one without errors; or NULL */
    oak_program *partial; /* of the texts as they are, where they have errors; or NULL */
    bool fresh;           /* its diagnostics are those of the texts as they are */
    bool good;            /* and the program is, too */
    oak_arena names_of;
    serve_name *names; /* where names stand in all of its files, by file and place */
    size_t name_count, name_room;
    bool named; /* `names` is up to date */
    bool alone; /* it is no source of the project in whose folder it lies */
    serve_edit *edits;
    size_t edit_count, edit_room;
    char **told; /* files with diagnostics that the editor shows */
    size_t told_count, told_room;
} serve_unit;

struct oak_server {
    oak_host host, reading; /* reading: texts that are open in front of files */
    oak_serve_settings settings;
    oak_buf input;
    serve_text **texts;
    size_t text_count, text_room;
    serve_unit **units;
    size_t unit_count, unit_room;
    cJSON *cancelled; /* identifiers */
    unsigned turn;    /* counts messages */
    bool bytes;       /* places count bytes, not units of UTF-16 */
    bool ready, shut, over, well;
    char *part;        /* as the client has set it */
    char refusal[120]; /* why something was refused */
};

/* ------------------------------------------------------------------------------------------ server.c */

char *serve_copy(oak_server *server, const char *text);
void serve_free(oak_server *server, char *text);
void serve_notify(oak_server *server, const char *method, cJSON *parameters);

/* ------------------------------------------------------------------------------------------ texts.c */

/* The path in a URI, to be freed; NULL when it names no file. And back. */
char *serve_path(oak_server *server, const char *uri);
cJSON *serve_uri(const char *path);
serve_text *serve_find_text(oak_server *server, const char *path);
/* The text, from the disk where it is not open; NULL when there is none. */
serve_text *serve_load_text(oak_server *server, const char *path);
bool serve_set_text(oak_server *server, serve_text *text, const char *bytes, size_t size);
void serve_drop_text(oak_server *server, serve_text *text);
const char *serve_line(const serve_text *text, size_t line, size_t *size);
/* Places: bytes in a line to what the client counts, and back (a place behind the end is the end). */
unsigned serve_column(const oak_server *server, const char *line, size_t size, size_t at);
size_t serve_byte(const oak_server *server, const char *line, size_t size, double column);
cJSON *serve_range(const oak_server *server, const serve_text *text, size_t line, size_t from, size_t to);
/* The place that a message means, kept inside the text. */
bool serve_place(const oak_server *server, const serve_text *text, const cJSON *position, size_t *line,
                 size_t *at);
void serve_change_text(oak_server *server, const cJSON *parameters);

/* ------------------------------------------------------------------------------------------ units.c */

/* What is known of its files: the program of the texts as they are, or the last one without errors. */
static inline const oak_program *serve_known(const serve_unit *unit)
{
    return unit->partial ? unit->partial : unit->program;
}

/* The unit that a file belongs to, assembled anew where texts have changed; NULL when no part is known. */
serve_unit *serve_unit_of(oak_server *server, const char *path);
/* The text of a file, or (NULL) any, has changed. */
void serve_stale(oak_server *server, const char *path);
/* Assembles what has changed and tells what is wrong. */
void serve_check(oak_server *server);
void serve_drop_unit(oak_server *server, serve_unit *unit);
/* All names of a unit, by file and place. */
void serve_names(oak_server *server, serve_unit *unit);
/* The definition of a name, as seen from a file; NULL. And its symbol. */
const serve_name *serve_definition(oak_server *server, serve_unit *unit, const char *file, const char *name);
const oak_symbol *serve_symbol(const serve_unit *unit, const char *file, const char *name);

/* The file that an include names, where the program has read it; NULL. */
const char *serve_included(const serve_unit *unit, const char *text, size_t length);

/* What stands at a place. */
typedef struct serve_spot {
    serve_text *text;
    serve_unit *unit;
    size_t line, at;
    const char *of; /* the line */
    size_t size;
    oak_word words[MOST_WORDS];
    size_t count;
    const oak_word *word;        /* NULL: none */
    char name[2 * LONGEST_NAME]; /* of it, whole */
    size_t left_out;             /* as of serve_name */
} serve_spot;
bool serve_spot_at(oak_server *server, const cJSON *parameters, serve_spot *spot);
/* The label that is not local in or above a line: its length, 0 for none. */
size_t serve_scope(serve_unit *unit, const serve_text *text, size_t line, char *name, size_t room);

/* tells.c: a text sink into an oak_buf. */
oak_status serve_add_text(void *context, const char *bytes, size_t count);

/* ------------------------------------------------------------------------------------------ answers */

typedef cJSON *serve_answer(oak_server *server, const cJSON *parameters, const char **why);
serve_answer serve_definition_of, serve_references, serve_highlights, serve_rename, serve_prepare_rename,
    serve_outline, serve_workspace_names;
/* calls.c: decodes what lies at an address of the program, of which the bytes are given back as well; false: no instruction. */
struct oak_decoded;
enum { SERVE_LONGEST_CODE = 16 };
bool serve_decode(const serve_unit *unit, uint32_t address, struct oak_decoded *decoded,
                  uint8_t bytes[SERVE_LONGEST_CODE]);

serve_answer serve_prepare_calls, serve_calls_in, serve_calls_out;
serve_answer serve_hover, serve_signature, serve_inlays, serve_lenses;
serve_answer serve_completion, serve_more_of, serve_colours, serve_folds, serve_actions, serve_layout,
    serve_links;
/* The kinds of words that colours tell, as the protocol calls them. */
cJSON *serve_colour_legend(void);

#endif
