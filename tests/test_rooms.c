/* The rooms of docs/architecture.md: nobody reaches up. */
#include "support.h"

#include <stdio.h>

enum { MOST_ROOMS = 24 };
static char rooms[MOST_ROOMS][20]; /* from the top */
static unsigned room_count;
static struct {
    char header[20], room[20];
} headers[40];
static unsigned header_count;

static int height(const char *room)
{
    for (unsigned i = 0; i < room_count; i++)
        if (!strcmp(rooms[i], room)) return (int)(room_count - i);
    return -1;
}

static void read_drawing(void)
{
    char line[300], block[20] = "";
    FILE *file = fopen(SOURCE_FOLDER "/docs/architecture.md", "r");
    ck_assert_ptr_nonnull(file);
    room_count = header_count = 0;
    while (fgets(line, sizeof line, file)) {
        if (!strncmp(line, "```", 3)) {
            sscanf(line + 3, "%19s", block);
            if (line[3] == '\n') *block = 0;
        } else if (!strcmp(block, "rooms")) sscanf(line, "%19s", rooms[room_count++]);
        else if (!strcmp(block, "headers")) {
            char *word = strtok(line, " \n"), *room = word;
            while ((word = strtok(NULL, " \n"))) {
                snprintf(headers[header_count].header, sizeof headers->header, "%s", word);
                snprintf(headers[header_count++].room, sizeof headers->room, "%s", room);
            }
        }
    }
    fclose(file);
    ck_assert_uint_gt(room_count, 8);
    ck_assert_uint_gt(header_count, 8);
}

/* The room that an include leads to, or "" for what is beside the file or outside of the house. */
static void room_of(const char *include, char *room)
{
    char name[100];
    *room = 0;
    if (sscanf(include, "<oakspindle/%99[a-z_]", name) == 1) {
        if (!strcmp(name, "oakspindle")) strcpy(room, "board");
        for (unsigned i = 0; i < header_count; i++)
            if (!strcmp(headers[i].header, name)) strcpy(room, headers[i].room);
        ck_assert_msg(*room, "%s belongs to no room", include);
    } else if (sscanf(include, "\"%99[a-z]/", name) == 1 && strchr(include, '/') && height(name) >= 0)
        strcpy(room, name);
}

START_TEST(no_file_uses_what_stands_above_it)
{
    char *out, *err, *line, *rest;
    unsigned count = 0;
    read_drawing();
    ck_assert_int_eq(shell("cd " SOURCE_FOLDER
                           "/src && grep -rn '^#include [<\"]' --include=*.c --include=*.h .",
                           &out, &err),
                     0);
    for (line = strtok_r(out, "\n", &rest); line; line = strtok_r(NULL, "\n", &rest)) {
        char own[20], folder[20] = "", used[20], *include = strstr(line, "#include ") + 9;
        ck_assert_int_eq(sscanf(line, "./%19[a-z0-9]/", own), 1);
        ck_assert_msg(height(own) > 0, "`%s` is not in the drawing", own);
        room_of(include, used);
        ck_assert_msg(!*used || height(used) <= height(own), "%s reaches up", line);
        /* Architectures know themselves and what they share, the kit and the syntax of the Arms; these know none. */
        char other[20];
        char slash = 0, inner = 0;
        bool deep = sscanf(line, "./isa/%19[a-z0-9]%c", folder, &inner) == 2 && inner == '/';
        if (deep && sscanf(include, "\"isa/%19[a-z0-9]%c", other, &slash) == 2 && slash == '/')
            ck_assert_msg(!strcmp(other, folder) || !strcmp(other, "kit") || !strcmp(other, "arm"),
                          "%s looks into another architecture", line);
        count++;
    }
    ck_assert_uint_gt(count, 300);
    free(out);
    free(err);
}
END_TEST

RUN_SUITE("rooms", no_file_uses_what_stands_above_it)
