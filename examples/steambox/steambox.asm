; steambox.asm - the steam box in which boards are made ready for bending, on a banked 8-bit core
;
;   rb.0  more     buttons, 0 = pressed (pulled up): a minute more, a minute less, and
;   rb.1  less
;   rb.2  steam    begin, or break off
;   ra.0  valve    1 = steam
;   ra.1  rs       of the display, ra.2 its e; rc.4 to rc.7 its lines d4 to d7
;
; The minutes are kept in EEPROM: the next board of the same wood needs no setting.

        config CONFIG: WDTE=off, FOSC=xt, LVP=off

more    equ  0                  ; bits of port B
less    equ  1
steam   equ  2
valve   equ  0                  ; bits of port A
rs      equ  1
e       equ  2
usual   equ  30                 ; minutes, while nothing was ever kept
most    equ  99
ticks   equ  122                ; overflows of timer 0 in a second: 122 * 8.192 ms = 999.4 ms

; ---------------------------------------------------------------- variables

        section vars, file
minutes: ds  1                  ; as set
left:   ds   1                  ; minutes still to go; 0: shut
seconds: ds  1                  ; and seconds of the minute
tick:   ds   1                  ; and ticks of the second
shadow: ds   1                  ; what port A is to show: its pins are not read back
before: ds   1                  ; buttons a tick ago
down:   ds   1                  ; buttons that were down twice: what has been acted on
byte:   ds   1
index:  ds   1
tens:   ds   1
count:  ds   1

; ---------------------------------------------------------------- start

        vector reset, start
        section prog, code
start:  bank PORTA
        clrf PORTA              ; shut, before it is an output
        clrf PORTC
        clrf shadow
        clrf left
        bank TRISA
        movlw 0xf8
        movwf TRISA
        clrf TRISC
        movlw 0x04              ; pull-ups on; timer 0 by 32: it overflows every 8.192 ms
        movwf OPTION_REG
        bank PORTA
        movlw 0xff
        movwf before
        clrf down
        call fetch
        call wake
        call show

; ---------------------------------------------------------------- the round, once a tick

round:  btfss INTCON, T0IF
        goto round
        bcf  INTCON, T0IF
        call look
        call pass
        goto round

; Buttons: a press counts when it is there in two ticks, once.
look:   comf PORTB, w           ; 1 = pressed
        andlw 0x07
        movwf byte
        andwf before, w         ; down in both
        xorwf down, w           ; what has changed since it was acted on
        andwf byte, w           ; and is down
        andwf before, w
        movwf count             ; newly pressed
        movf byte, w
        andwf before, w
        movwf down
        movf byte, w
        movwf before
        btfsc count, more
        goto .more
        btfsc count, less
        goto .less
        btfss count, steam
        return
        movf left, f            ; running: break off
        btfss STATUS, Z
        goto shut
        movf minutes, w
        movwf left
        movlw 60
        movwf seconds
        movlw ticks
        movwf tick
        bsf  shadow, valve
        call put
        goto show
.more:  movlw most
        subwf minutes, w
        btfsc STATUS, Z
        return
        incf minutes, f
        goto .kept
.less:  decf minutes, w
        btfsc STATUS, Z         ; at least one
        return
        movwf minutes
.kept:  call keep
        goto show

; A tick of the time that is left.
pass:   movf left, f
        btfsc STATUS, Z
        return
        decfsz tick, f
        return
        movlw ticks
        movwf tick
        decfsz seconds, f
        return
        movlw 60
        movwf seconds
        decfsz left, f
        goto show
shut:   clrf left
        bcf  shadow, valve
        call put
        goto show

; Port A as it is to be, written as a whole.
put:    movf shadow, w
        movwf PORTA
        return

; ---------------------------------------------------------------- what is kept

fetch:  bank EEADR
        clrf EEADR
        bank EECON1
        bsf  EECON1, RD
        bank EEDATA
        movf EEDATA, w
        bank minutes
        movwf minutes
        movlw most + 1          ; 0xff, or anything that was never a setting
        subwf minutes, w
        movlw usual
        btfsc STATUS, C
        movwf minutes
        movf minutes, f
        btfsc STATUS, Z
        movwf minutes
        return

keep:   bank EECON1
        btfsc EECON1, WR        ; the last one is still under way
        goto keep
        bank minutes
        movf minutes, w
        bank EEDATA
        movwf EEDATA
        clrf EEADR
        bank EECON1
        bsf  EECON1, WREN
        movlw 0x55              ; nothing may come between from here
        movwf EECON2
        movlw 0xaa
        movwf EECON2
        bsf  EECON1, WR
        bcf  EECON1, WREN
        bank PORTA
        return

; ---------------------------------------------------------------- display

; Four lines instead of eight; two rows; shown; cleared.
wake:   movlw 0x20              ; one half: it counts as a whole while there are eight lines
        call half
        call pause
        movlw 0x28
        call order
        movlw 0x0c
        call order
        movlw 0x01
        call order
        movlw 40                ; clearing takes longer
        movwf count
.more:  call pause
        decfsz count, f
        goto .more
        return

; "Steam 32 min" and what the valve does.
show:   movlw 0x80
        call order
        movlw steam_text
        call line
        movf left, w            ; what is left, or what is set
        btfsc STATUS, Z
        movf minutes, w
        call number
        movlw min_text
        call line
        movlw 0xc0
        call order
        movlw shut_text
        btfsc shadow, valve
        movlw open_text
        goto line

; Two digits of w.
number: movwf byte
        clrf tens
.ten:   movlw 10
        subwf byte, w
        btfss STATUS, C
        goto .out
        movwf byte
        incf tens, f
        goto .ten
.out:   movf byte, w
        movwf count             ; `byte` is the sender's
        movf tens, w
        addlw '0'
        call send
        movf count, w
        addlw '0'
        goto send

; The text at w of the table, up to a zero.
line:   movwf index
.next:  movlw high(texts)
        movwf PCLATH
        movf index, w
        call texts
        clrf PCLATH
        iorlw 0
        btfsc STATUS, Z
        return
        call send
        incf index, f
        goto .next

; A command, and a character, in w; w is kept.
order:  bcf  shadow, rs
        goto out
send:   bsf  shadow, rs
out:    movwf byte
        call put
        movf byte, w
        call half
        swapf byte, w
        call half
        call pause
        movf byte, w
        return

; The upper half of w over the lines.
half:   andlw 0xf0
        movwf PORTC
        bsf  shadow, e
        call put
        bcf  shadow, e
        goto put

; 50 cycles, with call and return.
pause:  movlw 15
.again: addlw -1
        btfss STATUS, Z
        goto .again
        return

; ---------------------------------------------------------------- texts

        align 256
texts:  addwf PCL, f
text_0:
steam_text equ low($ - text_0)
        each c, 'S', 't', 'e', 'a', 'm', ' ', 0
        retlw c
        endr
min_text equ low($ - text_0)
        each c, ' ', 'm', 'i', 'n', 0
        retlw c
        endr
shut_text equ low($ - text_0)
        each c, 'v', 'a', 'l', 'v', 'e', ' ', 's', 'h', 'u', 't', 0
        retlw c
        endr
open_text equ low($ - text_0)
        each c, 'v', 'a', 'l', 'v', 'e', ' ', 'o', 'p', 'e', 'n', 0
        retlw c
        endr
