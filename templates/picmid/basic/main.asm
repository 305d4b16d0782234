; main.asm - {name}, for {part}
;
;   rb.0  knock    0 = somebody knocks at the workshop door (pulled up)
;   ra.0  lamp     1 = lit
;
; The lamp over the door follows the knocker, but only once it has been down for a while: short clatter is no knock.

knock   equ  0                  ; bit of port B
lamp    equ  0                  ; bit of port A
steady  equ  20                 ; looks that must agree

        config CONFIG: WDTE=off, FOSC=xt, LVP=off

; ---------------------------------------------------------------- variables

        section vars, file
seen:   ds   1                  ; how often in a row the knocker was down
shadow: ds   1                  ; what port A is to show: its pins are not read back

; ---------------------------------------------------------------- vectors

        vector reset, begin

; ---------------------------------------------------------------- program

        section prog, code
begin:  bank PORTA
        clrf PORTA              ; dark, before it is an output
        clrf shadow
        clrf seen               ; RAM holds anything at first
        bank TRISA
        bcf  TRISA, lamp
        bcf  OPTION_REG, 7      ; pull-ups on port B
        bank PORTA

main:   call look
        btfss STATUS, 0         ; carry: steady
        goto .dark
        bsf  shadow, lamp
        goto .show
.dark:  bcf  shadow, lamp
.show:  movf shadow, w
        movwf PORTA
        btfsc shadow, lamp
lit:    nop                     ; passed while the lamp is lit
        goto main

; Looks at the knocker once. Out: carry set when it has been down long enough. Changes w.
look:   btfsc PORTB, knock
        goto .up
        movlw steady
        subwf seen, w           ; carry set when seen is not less
        btfss STATUS, 0
        incf seen, f
        return
.up:    clrf seen
        bcf  STATUS, 0
        return
