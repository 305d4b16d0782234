/* source.c — writes a source file of N lines for the assembler's benchmark: what people write, no tricks.
 *
 *   source LINES */
#include <stdio.h>
#include <stdlib.h>

int main(int argc, char **argv)
{
    unsigned long lines = argc > 1 ? strtoul(argv[1], NULL, 10) : 200000;
    puts("; a generated source\nlimit equ 0x30\n org iram:0x30\ncount: ds 4\n org code:0");
    /* Stretches of 60 KiB would fill the code memory soon: every stretch begins at the same place again as data space is
     * kept free by `org`, so that lines are many and bytes few. */
    for (unsigned long i = 5; i < lines; i += 10) {
        printf("part_%lu:                         ; step %lu of the loom\n", i, i);
        printf("value_%lu equ limit+%lu*2\n", i, i % 100);
        puts("; the shuttle goes over");
        printf("warp_%lu equ value_%lu & 0xff\n", i, i);
        if (i % 100 == 5) {
            printf("        mov  a, #low(value_%lu)\n        add  a, count+1\n        mov  r2, #warp_%lu ; "
                   "threads\n",
                   i, i);
            puts("        jnb  p1.0, $\n        movx @dptr, a\n        djnz r2, $-4\n        sjmp $");
        } else {
            printf("high_%lu equ high(value_%lu << 3)\nsum_%lu equ (value_%lu + warp_%lu) * 2\n", i, i, i, i,
                   i);
            puts("\n; and under again\n\n        ; the reed beats it home");
        }
    }
    return 0;
}
