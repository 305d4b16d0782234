; sander.asm - the belt sander, on a core with an access bank, PWM and two priorities
;
;   rb.0  stop     0 = somebody hit the stop (pulled up): urgent, whatever else goes on
;   rb.1  disc     pulses of the slotted disc on the roller, eight a turn
;   rb.4  more     buttons, 0 = pressed (pulled up): a step of speed more, one less
;   rb.5  less
;   rc.2  motor    PWM of 1.25 kHz: how much of the time the motor pulls
;   rc.3  brake    1 = holds the roller
;   rc.6  log      a line a second at 9600 bit/s: "pull 40 turns 18"
;
; Calm things happen every 10 ms: buttons are looked at, the motor is brought to its speed step by step. The stop does not wait
; for them.

        config CONFIG1H: FOSC=xt
        config CONFIG2L: BOREN=on, PWRTEN=on
        config CONFIG2H: WDTEN=off
        config CONFIG4L: STVREN=on, LVP=off

more    equ  4                  ; bits of port B
less    equ  5
brake   equ  3                  ; bit of port C
pulls   equ  0x0c               ; channel 1 makes pulses
top     equ  199                ; 200 steps of 4 us: 1.25 kHz
most    equ  top + 1            ; the motor pulls all of the time
wide    equ  20                 ; a step of the buttons
tick    equ  65536 - 10000      ; timer 1: 10 ms at 4 MHz
rate    equ  25                 ; 4 MHz / (16 * 26) = 9615 bit/s

; ---------------------------------------------------------------- variables

        section vars, data, at 0
goal:   ds   1                  ; how far the motor is to pull, of `most`
pull:   ds   1                  ; how far it does
pulses: ds   1                  ; of the disc, in this second
turns:  ds   1                  ; of the roller, in the last one
ticks:  ds   1                  ; of this second, still to go
down:   ds   1                  ; buttons that were down a tick ago
now:    ds   1
stopped: ds  1                  ; 1: somebody hit the stop
due:    ds   1                  ; 1: a line is to be written
number: ds   1
tens:   ds   1

        section words, data, at 0x200
line:   ds   24                 ; the line that is being sent
ahead:  ds   2                  ; where its next byte stands

; ---------------------------------------------------------------- vectors

        vector reset, start
        vector high, halt
        vector low, calm

; ---------------------------------------------------------------- start

        section prog, code
start:  movlw 1 << 6            ; nothing pulls before it is an output, and the log rests
        movwf LATC
        movlw 0b10110011        ; rc.2, rc.3 and rc.6 are outputs
        movwf TRISC
        bcf  INTCON2, RBPU      ; pull-ups on port B
        lfsr fsr0, goal
.clear: clrf POSTINC0           ; all variables begin at 0
        movlw low(number)
        cpfsgt FSR0L
        bra  .clear
        movlw 2 * wide
        movwf goal
        movlw 100
        movwf ticks

        movlw top               ; the PWM
        movwf PR2
        clrf CCPR1L
        movlw pulls
        movwf CCP1CON
        movlw 0b00000101        ; timer 2 by 4, on
        movwf T2CON

        movlw rate              ; the log
        movwf SPBRG
        bsf  TXSTA, BRGH
        bsf  TXSTA, TXEN
        bsf  RCSTA, SPEN

        movlw high(tick)        ; calm: every 10 ms
        movwf TMR1H
        movlw low(tick)
        movwf TMR1L
        bcf  IPR1, TMR1IP
        bsf  PIE1, TMR1IE
        bsf  T1CON, TMR1ON
        bcf  INTCON3, INT1IP    ; calm: the disc
        bcf  INTCON3, INT1IF
        bsf  INTCON3, INT1IE
        bcf  INTCON2, INTEDG0   ; urgent: the stop, when it falls
        bcf  INTCON, INT0IF
        bsf  INTCON, INT0IE
        bsf  RCON, IPEN
        bsf  INTCON, GIEL
        bsf  INTCON, GIEH

; ---------------------------------------------------------------- the round: only the log

round:  tstfsz due
        call write
        bra  round

; Writes a line. Changes w, fsr0, tblptr, tens and what is in `line`.
write:  clrf due
        lfsr fsr0, line
        movlw low(pulling)
        call text
        movf pull, w            ; of 200: half of it are percent
        bcf  STATUS, C
        rrcf WREG, w
        call decimal
        movlw low(turning)
        call text
        movf turns, w
        call decimal
        movlw 10
        movwf POSTINC0
        clrf INDF0              ; the end of the line
        lfsr fsr0, line
.send:  btfss PIR1, TXIF
        bra  .send
        movf POSTINC0, w
        bz   .done
        movwf TXREG
        nop                     ; TXIF falls a cycle later
        bra  .send
.done:  return

; Copies the text at w, of the table, to where fsr0 points.
text:   movwf TBLPTRL
        movlw high(texts)
        movwf TBLPTRH
        clrf TBLPTRU
.next:  tblrd *+
        movf TABLAT, w
        bz   .done
        movwf POSTINC0
        bra  .next
.done:  return

; Writes w in decimal, one to three digits, to where fsr0 points.
decimal: clrf tens
        movwf number
.ten:   movlw 10
        cpfslt number
        bra  .more
        tstfsz tens             ; no tens, no zero
        bra  .tens
        bra  .ones
.more:  subwf number, f
        incf tens, f
        bra  .ten
.tens:  movlw 10
        cpfslt tens
        bra  .hundred
        movf tens, w
        addlw '0'
        movwf POSTINC0
        bra  .ones
.hundred: movlw '1'             ; a percentage has none above
        movwf POSTINC0
        movlw 10
        subwf tens, w
        addlw '0'
        movwf POSTINC0
.ones:  movf number, w
        addlw '0'
        movwf POSTINC0
        return

        align 256
texts:
pulling: db  "pull ", 0
turning: db  " turns ", 0
        align 2

; ---------------------------------------------------------------- urgent: the stop

halt:   clrf CCP1CON            ; no pulse more: the latch is low
        bsf  LATC, brake
        clrf goal
        clrf pull
        clrf CCPR1L
        setf stopped
        bcf  INTCON, INT0IF
        retfie fast

; ---------------------------------------------------------------- calm: the disc and the 10 ms

calm:   movwf kept_w            ; the fast way back is the stop's: it may come in between
        movff STATUS, kept_status
        btfss INTCON3, INT1IF
        bra  .time
        bcf  INTCON3, INT1IF
        incf pulses, f
.time:  btfsc PIR1, TMR1IF
        call pass
        movff kept_status, STATUS
        movf kept_w, w
        retfie

        section vars
kept_w: ds   1
kept_status: ds 1
        section prog

; 10 ms have passed. The count is added to what timer 1 has counted since.
pass:   bcf  PIR1, TMR1IF
        bcf  T1CON, TMR1ON      ; 7 cycles it stands still, which are given back
        movlw low(tick + 7)
        addwf TMR1L, f
        movlw high(tick + 7)
        addwfc TMR1H, f
        bsf  T1CON, TMR1ON
        decfsz ticks, f
        bra  buttons
        movlw 100               ; a second
        movwf ticks
        movff pulses, turns
        clrf pulses
        bcf  STATUS, C
        rrcf turns, f           ; eight pulses a turn
        bcf  STATUS, C
        rrcf turns, f
        bcf  STATUS, C
        rrcf turns, f
        setf due

; A press counts when it was not there a tick ago.
buttons: comf PORTB, w
        andlw 1 << more | 1 << less
        movwf now
        comf down, w
        andwf now, w            ; pressed since
        movff now, down
        movwf now
        btfsc now, more
        call faster
        btfsc now, less
        call slower
        movf goal, w            ; step by step to the goal
        cpfseq pull
        bra  .step
        return
.step:  cpfsgt pull
        bra  .up
        decf pull, f
        bra  apply
.up:    incf pull, f
apply:  bcf  INTCON, GIEH       ; the stop may not come between the look and the pull
        tstfsz stopped
        bra  .stays
        movff pull, CCPR1L
.stays: bsf  INTCON, GIEH
        return

; The first press behind a stop lets go of the brake.
faster: tstfsz stopped
        call release
        movlw most - wide + 1
        cpfslt goal
        return
        movlw wide
        addwf goal, f
        return
slower: movlw wide
        cpfslt goal
        subwf goal, f
        return
release: clrf stopped
        bcf  LATC, brake
        movlw pulls
        movwf CCP1CON
        return
        end
