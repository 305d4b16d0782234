; sieve_a32.asm — primes below 8192 with a byte a number in RAM, `outer` times 40 rounds: loads, stores, adds, compares.
size    equ  8192
outer   equ  1               ; times
rounds  equ  40

        vector reset, start

        org  0x100
start:  ldr  r8, =outer * rounds
        ldr  r9, =flags
        mov  r5, #size
again:  mov  r0, r9
        add  r4, r9, r5
        mov  r1, #1
fill:   strb r1, [r0], #1
        cmp  r0, r4
        bne  fill
        mov  r6, #0             ; primes found
        mov  r7, #0
        mov  r0, #2
next:   ldrb r2, [r9, r0]
        cmp  r2, #0
        beq  done
        add  r6, r6, #1
        add  r3, r9, r0, lsl #1
        b    test
strike: strb r7, [r3], r0
test:   cmp  r3, r4
        blo  strike
done:   add  r0, r0, #1
        cmp  r0, r5
        blo  next
        subs r8, r8, #1
        bne  again
rest:   b    rest

        org  0x20000000
flags:  ds   size
