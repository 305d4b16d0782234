; main.asm - {name}, for {part}
;
;   rb.0  knock    0 = somebody knocks at the workshop door (pulled up)
;   ra.0  lamp     1 = lit
;
; The lamp over the door follows the knocker, but only once it has been down for a while: short clatter is no knock.

knock   equ  0                  ; bit of port B
lamp    equ  0                  ; bit of port A
steady  equ  20                 ; looks that must agree

        config CONFIG1H: FOSC=xt
        config CONFIG2L: BOREN=on, PWRTEN=on
        config CONFIG2H: WDTEN=off
        config CONFIG4L: STVREN=on, LVP=off

; ---------------------------------------------------------------- variables

        section vars, data
seen:   ds   1                  ; how often in a row the knocker was down

; ---------------------------------------------------------------- vectors

        vector reset, begin

; ---------------------------------------------------------------- program

        section prog, code
begin:  clrf LATA               ; dark, before it is an output
        clrf seen               ; RAM holds anything at first
        bcf  TRISA, lamp
        bcf  INTCON2, RBPU      ; pull-ups on port B

main:   call look
        bnc  dark               ; carry: steady
        bsf  LATA, lamp
lit:    nop                     ; passed while the lamp is lit
        bra  main
dark:   bcf  LATA, lamp
        bra  main

; Looks at the knocker once. Out: carry set when it has been down long enough. Changes w.
look:   btfsc PORTB, knock
        bra  .up
        movlw steady
        subwf seen, w           ; carry set when seen is not less
        btfss STATUS, C
        incf seen, f
        return
.up:    clrf seen
        bcf  STATUS, C
        return
