/* embed.c — writes files as C data, a list of their names, bytes and sizes: embed OUTPUT HEADER TYPE LIST FOLDER ENDING NAME…; a file is FOLDER/NAMEENDING. Runs
 * while the library and the tool are built. */
#include <stdio.h>
#include <stdlib.h>

int main(int count, char **arguments)
{
    if (count < 7) return EXIT_FAILURE;
    FILE *out = fopen(arguments[1], "w");
    if (!out) return EXIT_FAILURE;
    fprintf(out, "/* Made by embed.c. */\n#include \"%s\"\n\n", arguments[2]);
    for (int pass = 0; pass < 2; pass++) {
        if (pass) fprintf(out, "const %s %s[] = {\n", arguments[3], arguments[4]);
        for (int i = 7; i < count; i++) {
            if (pass) {
                fprintf(out, "    {\"%s\", file_%d, sizeof file_%d},\n", arguments[i], i, i);
                continue;
            }
            char path[1000];
            snprintf(path, sizeof path, "%s/%s%s", arguments[5], arguments[i], arguments[6]);
            FILE *file = fopen(path, "rb");
            if (!file) return EXIT_FAILURE;
            fprintf(out, "static const unsigned char file_%d[] = {", i);
            int c;
            for (unsigned n = 0; (c = getc(file)) != EOF; n++) fprintf(out, n % 24 ? "%d," : "\n%d,", c);
            fputs("};\n", out);
            fclose(file);
        }
    }
    fputs("    {0}};\n", out);
    return fclose(out) ? EXIT_FAILURE : EXIT_SUCCESS;
}
