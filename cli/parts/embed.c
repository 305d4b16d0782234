/* embed.c — writes files as C data: embed OUTPUT FOLDER FILE…; names are below the folder. Runs while the tool is built. */
#include <stdio.h>
#include <stdlib.h>

int main(int count, char **arguments)
{
    if (count < 3) return EXIT_FAILURE;
    FILE *out = fopen(arguments[1], "w");
    if (!out) return EXIT_FAILURE;
    fputs("/* Made by embed.c. */\n#include \"parts/built_in.h\"\n\n", out);
    for (int pass = 0; pass < 2; pass++) {
        if (pass) fputs("const built_in_file built_in_files[] = {\n", out);
        for (int i = 3; i < count; i++) {
            if (pass) {
                fprintf(out, "    {\"%s\", file_%d, sizeof file_%d},\n", arguments[i], i, i);
                continue;
            }
            char path[1000];
            snprintf(path, sizeof path, "%s/%s", arguments[2], arguments[i]);
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
