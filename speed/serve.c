/* serve.c — the benchmark's editor: what a client waits for in a file of many lines.
 *
 *   serve LINES       a program of so many lines; prints milliseconds, and megabytes in the end */
#include <oakspindle/linux.h>
#include <oakspindle/serve.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/resource.h>
#include <time.h>

static size_t answered;

static void take(void *context, const char *bytes, size_t count)
{
    (void)context, (void)bytes;
    answered += count;
}

static double now(void)
{
    struct timespec time;
    clock_gettime(CLOCK_MONOTONIC, &time);
    return (double)time.tv_sec * 1000 + (double)time.tv_nsec / 1e6;
}

static double ask(oak_server *server, const char *body)
{
    char header[60];
    double before = now();
    int length = snprintf(header, sizeof header, "Content-Length: %zu\r\n\r\n", strlen(body));
    if (!oak_serve_take(server, header, (size_t)length) || !oak_serve_take(server, body, strlen(body)))
        exit(1);
    return now() - before;
}

/* The least of some: the machine does other things, too. */
static void measure(oak_server *server, const char *what, const char *body, const char *edit)
{
    double least = 1e9;
    for (unsigned i = 0; i < 7; i++) {
        if (edit) ask(server, edit);
        double took = ask(server, body);
        if (took < least) least = took;
    }
    printf("  %-34s %8.1f ms\n", what, least);
}

int main(int count, char **arguments)
{
    unsigned lines = count > 1 ? (unsigned)strtoul(arguments[1], NULL, 0) : 20000, written = 4;
    size_t room = (size_t)lines * 64 + 1000;
    char *source = malloc(room), *to = source;
    if (!source) return 1;
    to += sprintf(to, "{\"method\":\"textDocument/didOpen\",\"params\":{\"textDocument\":{\"uri\":\"file:///"
                      "big.asm\",\"version\":1,\"text\":\"; part: mcs51-64k\\n vector "
                      "reset, begin\\n section prog, code\\nbegin: lcall go1\\nend_: sjmp end_\\n");
    for (unsigned i = 0; written < lines; i++, written += 5)
        to += sprintf(to,
                      "; routine %u\\ngo%u:    mov  a, #%u ; so many\\n.one:   djnz r2, .one\\n        add  "
                      "a, r%u\\n        ret\\n",
                      i, i, i % 250, i % 8);
    sprintf(to, "\"}}}");
    oak_host host = oak_linux_host();
    oak_serve_settings settings = {.send = take};
    oak_server *server;
    if (oak_serve_open(&host, &settings, &server)) return 1;
    ask(server, "{\"id\":0,\"method\":\"initialize\",\"params\":{}}");
#define OF "\"params\":{\"textDocument\":{\"uri\":\"file:///big.asm\"}"
#define AT OF ",\"position\":{\"line\":5006,\"character\":"
    static const char edit[] = "{\"method\":\"textDocument/didChange\"," OF
                               ",\"contentChanges\":[{\"range\":{\"start\":{\"line\":9000,\"character\":0},"
                               "\"end\":{\"line\":9000,\"character\":0}},\"text\":\" \"}]}}";
    printf("an editor with %u lines\n", written);
    printf("  %-34s %8.1f ms\n", "open", ask(server, source));
    measure(server, "an edit, until its marks (budget 50)", edit, NULL);
    measure(server, "hover behind an edit", "{\"id\":1,\"method\":\"textDocument/hover\"," AT "2}}}", edit);
    measure(server, "completion behind an edit",
            "{\"id\":1,\"method\":\"textDocument/completion\"," AT "16}}}", edit);
    measure(server, "rename behind an edit",
            "{\"id\":1,\"method\":\"textDocument/rename\"," AT "2},\"newName\":\"other\"}}", edit);
    measure(server, "hover", "{\"id\":1,\"method\":\"textDocument/hover\"," AT "2}}}", NULL);
    measure(server, "outline", "{\"id\":1,\"method\":\"textDocument/documentSymbol\"," OF "}}", NULL);
    measure(server, "colours of all lines",
            "{\"id\":1,\"method\":\"textDocument/semanticTokens/full\"," OF "}}", NULL);
    oak_serve_close(server);
    free(source);
    struct rusage used;
    getrusage(RUSAGE_SELF, &used);
    printf("  %-34s %8.1f MB\n", "memory at most, the text included", (double)used.ru_maxrss / 1024);
    return answered == 0;
}
