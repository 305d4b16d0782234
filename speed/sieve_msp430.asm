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
start:  mov  #0x4000, sp
        mov  #WDTPW|WDTHOLD, &WDTCTL
        mov  #outer, &rounds
round:  mov  #40, &times            ; repetitions
again:  mov  #flags, r4             ; every number may be prime
fill:   mov.b #1, 0(r4)
        inc  r4
        cmp  #flags + size, r4
        jlo  fill
        clr  r7                     ; primes found
        mov  #2, r5                 ; the number looked at
next:   tst.b flags(r5)
        jz   step
        inc  r7
        mov  r5, r6
strike: add  r5, r6                 ; strike out its multiples
        cmp  #size, r6
        jhs  step
        clr.b flags(r6)
        jmp  strike
step:   inc  r5
        cmp  #size, r5
        jlo  next
        mov  r7, &primes
        dec  &times
        jnz  again
        dec  &rounds
        jnz  round
done:   jmp  done
