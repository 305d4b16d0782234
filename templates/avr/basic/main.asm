; main.asm - {name}, for {part}
;
;   pb.0  knock    0 = somebody knocks at the workshop door (pulled up)
;   pb.1  lamp     1 = lit
;
; The lamp over the door follows the knocker, but only once it has been down for a while: short clatter is no knock.

KNOCK   equ  PB0
LAMP    equ  PB1
STEADY  equ  20                 ; looks that must agree

; ---------------------------------------------------------------- variables

        section vars, data
seen:   ds   1                  ; how often in a row the knocker was down

; ---------------------------------------------------------------- vectors

        vector reset, begin

; ---------------------------------------------------------------- program

        section prog, code
begin:  ldi  r16, high(0x8ff)   ; the stack grows down from the end of RAM
        out  SPH, r16
        ldi  r16, low(0x8ff)
        out  SPL, r16
        clr  r16
        sts  seen, r16          ; RAM holds anything at first
        sbi  DDRB, LAMP         ; an output, dark
        sbi  PORTB, KNOCK       ; an input that is pulled up

main:   rcall look
        brcc dark               ; carry: steady
        sbi  PORTB, LAMP
lit:    nop                     ; passed while the lamp is lit
        rjmp main
dark:   cbi  PORTB, LAMP
        rjmp main

; Looks at the knocker once. Out: carry set when it has been down long enough. Changes r16.
look:   lds  r16, seen
        sbic PINB, KNOCK
        rjmp .up
        cpi  r16, STEADY
        brsh .long
        inc  r16
        sts  seen, r16
        clc
        ret
.long:  sec
        ret
.up:    clr  r16
        sts  seen, r16
        clc
        ret
