; The prime sieve of the benchmark: 4,096 flags in RAM, one byte each, forty times over.
; The count of primes below 4,096 stands in `primes` at the end (564).

size    equ  4096

outer   equ  1                      ; the benchmark makes this more

        section vars, ram
flags:  ds   size
primes: ds   2
times:  ds   2
rounds: ds   2

        vector reset, start
        section prog, flash
start:  lds  #0x4000
        movw #outer, rounds
round:  movw #40, times             ; repetitions
again:  ldx  #flags                 ; every number may be prime
        ldaa #1
fill:   staa 1,x+
        cpx  #flags + size
        blo  fill
        movw #0, primes             ; primes found
        ldd  #2                     ; the number looked at
next:   tfr  d, x
        tst  flags,x
        beq  step
        ldy  primes
        iny
        sty  primes
strike: leax d,x                    ; strike out its multiples
        cpx  #size
        bhs  step
        clr  flags,x
        bra  strike
step:   addd #1
        cpd  #size
        blo  next
        ldx  times
        dex
        stx  times
        bne  again
        ldx  rounds
        dex
        stx  rounds
        bne  round
done:   bra  done
