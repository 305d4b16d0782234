; sieve_arm.asm — primes below 8192 with a byte a number in RAM, `outer` times 20 rounds: loads, stores, adds, compares.
size    equ  8192
outer   equ  1
rounds  equ  20

        vector stack, 0x20004000
        vector reset, start

        org  0x100
start:  ldr  r7, =outer * rounds
        ldr  r6, =flags
        ldr  r5, =size
again:  movs r0, #0
        movs r1, #1
fill:   strb r1, [r6, r0]
        adds r0, r0, #1
        cmp  r0, r5
        blo  fill
        movs r4, #0             ; primes found
        movs r0, #2
next:   ldrb r2, [r6, r0]
        cmp  r2, #0
        beq  done
        adds r4, r4, #1
        lsls r3, r0, #1
        movs r1, #0
        b    test
strike: strb r1, [r6, r3]
        adds r3, r3, r0
test:   cmp  r3, r5
        blo  strike
done:   adds r0, r0, #1
        cmp  r0, r5
        blo  next
        subs r7, r7, #1
        bne  again
        b    .

        org  0x20000000
flags:  ds   size
