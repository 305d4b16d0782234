; The drying cabinet for varnished work: a heater and a fan, each by pulses of timer 1, a door that takes the heat away,
; a command line, and settings that are kept.
;
;   h 40   heat, in per cent      f 60   fan      k   keep both for the next time      ?   how things are
;
; r2 is 0; handlers save what they use.

HEATER  equ  PB1                    ; out, pulses of timer 1 A
BLOWER     equ  PB2                    ; out, pulses of timer 1 B
CONTACT equ  PD2                    ; in, low while it is shut
MARK    equ  0xa7                   ; stands in front of settings that were kept
LONGEST equ  15                     ; characters of a line

        section vars, data
heat:   ds   1                      ; per cent that were asked for
fan:    ds   1
line:   ds   LONGEST + 1            ; what is typed, ends with 0
used:   ds   1
ready:  ds   1                      ; 1: a line waits

        vector reset, start
        vector int0, door
        vector received, typed
        vector timer0, awake

        section prog, code
start:  ldi  r16, high(0x8ff)
        out  SPH, r16
        ldi  r16, low(0x8ff)
        out  SPL, r16
        clr  r2
        ldi  r16, 1 << HEATER | 1 << BLOWER
        out  DDRB, r16
        sbi  PORTD, CONTACT            ; pulled up: open
        ldi  r16, 1 << COM1B1 | 1 << WGM10
        sts  TCCR1A, r16            ; 256 steps of half a microsecond; the heater later
        ldi  r16, 1 << WGM12 | 1 << CS11
        sts  TCCR1B, r16
        ldi  r16, 1 << ISC00        ; the door: every change
        sts  EICRA, r16
        sbi  EIMSK, INT0
        ldi  r16, 103               ; 9,600 baud
        sts  UBRR0L, r16
        ldi  r16, 1 << RXCIE0 | 1 << RXEN0 | 1 << TXEN0
        sts  UCSR0B, r16
        sts  used, r2
        sts  ready, r2
        wdr
        ldi  r16, 1 << WDCE | 1 << WDE
        sts  WDTCSR, r16
        ldi  r16, 1 << WDE | 1 << WDP2 | 1 << WDP1
        sts  WDTCSR, r16            ; resets when nothing was done for a second
        ldi  r16, 1 << CS02 | 1 << CS00
        out  TCCR0B, r16            ; a turn of timer 0 takes 16 ms, and wakes
        ldi  r16, 1 << TOIE0
        sts  TIMSK0, r16
        ldi  r16, 1 << SE           ; sleep lets the timers run
        out  SMCR, r16
        rcall recall
        rcall drive
        sei

main:   wdr
        lds  r16, ready
        tst  r16
        brne obey
        sleep                       ; until a character, the door, or a turn of timer 0
        rjmp main

; A line: its letter, and a number behind it.
obey:   ldi  xl, low(line)
        ldi  xh, high(line)
        ld   r20, x+
        rcall number                ; r21, carry: none, or beyond 100
        brcs odd
        cpi  r20, 'h'
        breq heats
        cpi  r20, 'f'
        breq blows
odd:    cpi  r20, '?'
        breq tell
        cpi  r20, 'k'
        breq keeps
        ldi  zl, low(bytes(unknown))
        ldi  zh, high(bytes(unknown))
        rcall say
        rjmp done
heats:  sts  heat, r21
        rjmp tell
blows:  sts  fan, r21
        rjmp tell
keeps:  rcall keep
tell:   rcall drive
        ldi  zl, low(bytes(heating))
        ldi  zh, high(bytes(heating))
        rcall say
        lds  r16, heat
        rcall decimal
        ldi  zl, low(bytes(blowing))
        ldi  zh, high(bytes(blowing))
        rcall say
        lds  r16, fan
        rcall decimal
        ldi  zl, low(bytes(isopen))
        ldi  zh, high(bytes(isopen))
        sbis PIND, CONTACT
        ldi  zl, low(bytes(isshut)) ; both lie in one page of 256 bytes
        rcall say
done:   sts  used, r2
        sts  ready, r2
        rjmp main

; What was asked for goes to the pulses; no heat while the door is open.
drive:  lds  r16, fan
        rcall steps
        sts  OCR1BH, r2
        sts  OCR1BL, r16
        lds  r16, heat
        rcall steps
        cli                         ; the door may open meanwhile
        sts  OCR1AH, r2
        sts  OCR1AL, r16
        lds  r17, TCCR1A
        andi r17, low(~(1 << COM1A1))
        sbic PIND, CONTACT
        clr  r16
        cpse r16, r2
        ori  r17, 1 << COM1A1
        sts  TCCR1A, r17
        sei
        ret

; Per cent in r16 to steps of 255: twice, and 141 of 256 parts.
steps:  ldi  r17, 141
        mul  r16, r17
        lsl  r16
        add  r16, r1
        ret

; The door has moved: an open one takes the heat away at once.
door:   sbis PIND, CONTACT
        rjmp shut
        push r16
        in   r16, SREG
        push r16
        lds  r16, TCCR1A
        andi r16, low(~(1 << COM1A1))
        sts  TCCR1A, r16
        pop  r16
        out  SREG, r16
        pop  r16
        reti
shut:   push r16
        ldi  r16, '?'               ; as if somebody asked: that drives anew
        sts  line, r16
        sts  line + 1, r2
        ldi  r16, 1
        sts  ready, r16
        pop  r16
        reti

awake:  reti                        ; that it has woken is all

; A character has come.
typed:  push r16
        in   r16, SREG
        push r16
        push r17
        push xl
        push xh
        lds  r16, UDR0
        lds  r17, ready
        cpse r17, r2
        rjmp behind                 ; the last line is not done yet
        lds  r17, used
        ldi  xl, low(line)
        ldi  xh, high(line)
        add  xl, r17
        adc  xh, r2
        cpi  r16, ' '
        brlo over
        cpi  r17, LONGEST
        brsh behind                 ; too long: the rest is lost
        st   x, r16
        inc  r17
        sts  used, r17
        rjmp behind
over:   tst  r17
        breq behind                 ; nothing, or the second of two that end a line
        st   x, r2
        ldi  r16, 1
        sts  ready, r16
behind: pop  xh
        pop  xl
        pop  r17
        pop  r16
        out  SREG, r16
        pop  r16
        reti

; The number at x, behind blanks, in r21. The carry is set where there is none, or it is beyond 100.
number: ld   r16, x+
        cpi  r16, ' '
        breq number
        clr  r21
        subi r16, '0'
        cpi  r16, 10
        brsh none
digit:  ldi  r17, 10
        cpi  r21, 11
        brsh none
        mul  r21, r17
        mov  r21, r0
        add  r21, r16
        ld   r16, x+
        subi r16, '0'
        cpi  r16, 10
        brlo digit
        cpi  r21, 101
        brsh none
        clc
        ret
none:   sec
        ret

; Prints what z points to in program memory, up to 0.
say:    lpm  r16, z+
        tst  r16
        breq said
        rcall send
        rjmp say
said:   ret

; Prints the number in r16.
decimal:
        clr  r17                    ; hundreds and tens
        cpi  r16, 100
        brlo tens
        ldi  r17, '1'
        subi r16, 100
        push r16
        mov  r16, r17
        rcall send
        pop  r16
tens:   ldi  r18, '0' - 1
ten:    inc  r18
        subi r16, 10
        brsh ten
        subi r16, -10 - '0'
        cpi  r18, '0'
        brne both
        tst  r17
        breq send                   ; one digit
both:   push r16
        mov  r16, r18
        rcall send
        pop  r16
send:   lds  r19, UCSR0A
        sbrs r19, UDRE0
        rjmp send
        sts  UDR0, r16
        ret

; Settings go to EEPROM, their mark last; and come from there, if they were ever kept.
keep:   ldi  r17, 1
        lds  r16, heat
        rcall write
        ldi  r17, 2
        lds  r16, fan
        rcall write
        ldi  r17, 0
        ldi  r16, MARK
write:  sbic EECR, EEPE             ; the one before takes its time
        rjmp write
        wdr
        out  EEARH, r2
        out  EEARL, r17
        out  EEDR, r16
        cli
        sbi  EECR, EEMPE
        sbi  EECR, EEPE
        sei
        ret

recall: sts  heat, r2
        sts  fan, r2
        ldi  r17, 0
        rcall read
        cpi  r16, MARK
        brne fresh
        ldi  r17, 1
        rcall read
        sts  heat, r16
        ldi  r17, 2
        rcall read
        sts  fan, r16
fresh:  ret
read:   out  EEARH, r2
        out  EEARL, r17
        sbi  EECR, EERE
        in   r16, EEDR
        ret

heating: db  "heat ", 0
blowing: db  " fan ", 0
isopen: db   " open\n", 0
isshut: db   " shut\n", 0
unknown: db  "h 40, f 60, k or ?\n", 0
