; counting51.asm — a loop beside a timer that counts every cycle: what it costs that somebody looks at the timer.
        vector reset, begin
        section prog, code
begin:  mov  tmod, #1
        setb tr0
        mov  r7, #100
.long:  mov  r6, #0            ; allow(counts-from-zero)
.round: mov  r5, #0            ; allow(counts-from-zero)
.step:  add  a, r5
        xrl  a, #3
        djnz r5, .step
        djnz r6, .round
        djnz r7, .long
done:   sjmp done
