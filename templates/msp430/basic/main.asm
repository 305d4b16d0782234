; main.asm - {name}, for {part}
;
;   p2.0  knock    0 = somebody knocks at the workshop door (pulled up)
;   p1.0  lamp     1 = lit
;
; The lamp over the door follows the knocker, but only once it has been down for a while: short clatter is no knock.

knock   equ  1                  ; bits of their ports
lamp    equ  1

; ---------------------------------------------------------------- variables

        section settings, ram, copied
steady: dw   20                 ; looks that must agree

        section vars, ram
seen:   ds   2                  ; how often in a row the knocker was down

; ---------------------------------------------------------------- vectors

        vector reset, start

; ---------------------------------------------------------------- start-up

        section prog, flash
start:  mov  #0x4000, sp        ; the top of the RAM
        mov  #WDTPW | WDTHOLD, &WDTCTL ; the watchdog runs from reset on
        copied                  ; settings come out of the flash
        clr  &seen              ; RAM holds anything at first

; ---------------------------------------------------------------- program

main:   bic.b #lamp, &P1OUT     ; dark, before it is an output
        bis.b #lamp, &P1DIR
        bis.b #knock, &P2OUT    ; pulled up
        bis.b #knock, &P2REN
again:  call #look
        jnc  dark               ; carry: steady
        bis.b #lamp, &P1OUT
lit:    nop                     ; passed while the lamp is lit
        jmp  again
dark:   bic.b #lamp, &P1OUT
        jmp  again

; Looks at the knocker once. Out: carry set when it has been down long enough.
look:   bit.b #knock, &P2IN
        jnz  .up
        cmp  &steady, &seen     ; carry set when seen is not less
        jc   .back
        inc  &seen
        clrc
.back:  ret
.up:    clr  &seen
        clrc
        ret
