; The checksum of the benchmark: CRC-16 (polynomial 0x1021, from 0xffff) over 256 bytes 0, 1, 2 … of internal work,
; bit by bit, forty times over. The result stands in r7:r6.

outer   equ  1                      ; the benchmark makes this more

        org  0
        mov  sp, #0x60
        mov  0x70, #outer
round:  mov  r5, #40
again:  mov  r7, #0xff
        mov  r6, #0xff
        mov  r0, #0                 ; the byte
byte:   mov  a, r7
        xrl  a, r0
        mov  r7, a
        mov  r3, #8
bit1:   clr  c
        mov  a, r6
        rlc  a
        mov  r6, a
        mov  a, r7
        rlc  a
        mov  r7, a
        jnc  nobit
        xrl  a, #0x10
        mov  r7, a
        mov  a, r6
        xrl  a, #0x21
        mov  r6, a
nobit:  djnz r3, bit1
        inc  r0
        cjne r0, #0, byte
        djnz r5, again
        djnz 0x70, round
done:   sjmp done
