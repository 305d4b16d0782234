; The treadle of the loom on the MCS-51. Pins have bits of their own, which a jump tests, and `djnz` counts a cell of RAM down
; and jumps in one instruction.

contact bit  p1.0               ; low while the treadle is down
steady  equ  5                  ; looks in a row, a millisecond apart

        section vars, iram
left:   ds   1                  ; looks that are still to be alike
rows:   ds   1
stack:  ds   1                  ; and up

        vector reset, begin

        section prog, code
begin:  mov  sp, #stack-1
        mov  left, #0
        mov  rows, #0
        mov  p2, rows
main:   call look
looked: call wait
        sjmp main

look:   jb   contact, .open
        mov  a, left
        jz   .back              ; this press has counted
        djnz left, .back
        inc  rows
        mov  p2, rows
.back:  ret
.open:  mov  left, #steady
        ret

wait:   mov  r7, #2
.outer: mov  r6, #248
        djnz r6, $
        djnz r7, .outer
        ret
