; sieve_rv32.asm — primes below 8192 with a byte a number in RAM, `outer` times 40 rounds: loads, stores, adds, compares.
size    equ  8192
outer   equ  1               ; times
rounds  equ  40

        vector reset, start

        org  0x100
start:  li   s0, outer * rounds
        la   s1, flags
        li   a5, size
again:  mv   a0, s1
        add  a4, s1, a5
        li   a1, 1
fill:   sb   a1, 0(a0)
        addi a0, a0, 1
        bne  a0, a4, fill
        li   a6, 0              ; primes found
        li   a0, 2
next:   add  a3, s1, a0
        lbu  a2, 0(a3)
        beqz a2, done
        addi a6, a6, 1
        slli a3, a0, 1
        add  a3, a3, s1
        j    test
strike: sb   zero, 0(a3)
        add  a3, a3, a0
test:   bltu a3, a4, strike
done:   addi a0, a0, 1
        bltu a0, a5, next
        addi s0, s0, -1
        bnez s0, again
rest:   j    rest

        org  0x20000000
flags:  ds   size
