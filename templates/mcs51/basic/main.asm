; main.asm - {name}, for {part}
;
;   p1.0  knock    0 = somebody knocks at the workshop door
;   p1.4  lamp     0 = lit
;
; The lamp over the door follows the knocker, but only once it has been down for a while: short clatter is no knock.

knock   bit  p1.0
lamp    bit  p1.4
steady  equ  20                 ; looks that must agree

; ---------------------------------------------------------------- variables

        section vars, iram
seen:   ds   1                  ; how often in a row the knocker was down
stack:  ds   1                  ; and up

; ---------------------------------------------------------------- vectors

        vector reset, begin

; ---------------------------------------------------------------- program

        section prog, code
begin:  mov  sp, #stack-1
        mov  p1, #0xff          ; pins with a 1 can be read, the lamp is dark
        mov  seen, #0

main:   call look
        jc   lit
        setb lamp
        sjmp main
lit:    clr  lamp
        sjmp main

; Looks at the knocker once. Out: carry set when it has been down long enough.
look:   jnb  knock, .down
        mov  seen, #0
        clr  c
        ret
.down:  mov  a, seen
        cjne a, #steady, .count
        setb c
        ret
.count: inc  seen
        clr  c
        ret
