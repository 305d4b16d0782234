/* serve.h — what editors ask for while somebody writes: a server of the Language Server Protocol (3.17), without a line of its own. Whoever has it
 * gives it the bytes that come and sends what it answers. */
#ifndef OAKSPINDLE_SERVE_H
#define OAKSPINDLE_SERVE_H

#include <oakspindle/asm.h>

#ifdef __cplusplus
extern "C" {
#endif

/* What a source file is assembled with. The texts stay until the next question. */
typedef struct oak_serve_project {
    const char *part;           /* name or path of a part file; NULL: not known */
    const char *const *sources; /* paths, `source_count` of them; none: the file alone */
    unsigned source_count;
    const char *const *includes; /* folders, `include_count` of them */
    unsigned include_count;
    const oak_warning *warnings;
    unsigned warning_count;
} oak_serve_project;

typedef struct oak_serve_settings {
    void *context;
    /* Sends bytes of an answer, which may come in several pieces. */
    void (*send)(void *context, const char *bytes, size_t count);
    /* Fills in what is known of the file with this path. May be NULL. */
    void (*project)(void *context, const char *path, oak_serve_project *project);
    const char *part; /* for files of which no more is known; may be NULL */
} oak_serve_settings;

typedef struct oak_server oak_server;
/* The host must read files, and outlive the server. OAK_UNSUPPORTED where it does not, OAK_NO_MEMORY. */
OAK_MUST_USE oak_status oak_serve_open(const oak_host *host, const oak_serve_settings *settings,
                                       oak_server **server);
/* NULL is allowed. */
void oak_serve_close(oak_server *server);
/* Takes bytes as they come, in any pieces, and answers. False when the conversation is over: the client has said so, or what came was no message. */
bool oak_serve_take(oak_server *server, const char *bytes, size_t count);
/* How the protocol writes the path of a file, and back. False where it does not fit, or names no file. */
bool oak_serve_uri(const char *path, char *text, size_t room);
bool oak_serve_path(const char *uri, char *text, size_t room);
/* It is over, and the client has said good-bye as it should. */
bool oak_serve_ended_well(const oak_server *server);

#ifdef __cplusplus
}
#endif
#endif
