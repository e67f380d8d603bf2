package station

import (
	"bytes"
	"fmt"
	"strconv"
)

// A line may end with a check sum, " #1D0F": the CRC-16 of its message (polynomial 0x1021, from 0xffff, most
// significant bit first) in four hexadecimal digits.
const sumSize = len(" #0000")

// Sum is the check sum of a message.
func Sum(message []byte) uint16 {
	crc := uint16(0xffff)
	for _, b := range message {
		crc ^= uint16(b) << 8
		for range 8 {
			if crc&0x8000 != 0 {
				crc = crc<<1 ^ 0x1021
			} else {
				crc <<= 1
			}
		}
	}
	return crc
}

// AppendSum adds its check sum to a message.
func AppendSum(message []byte) []byte {
	return fmt.Appendf(message, " #%04X", Sum(message))
}

// checkSum takes the check sum off a line; has says whether it had one. The error wraps ErrMessage where the message is
// another one than was written.
func checkSum(line []byte) (message []byte, has bool, err error) {
	at := len(line) - sumSize
	if at < 0 || !bytes.HasPrefix(line[at:], []byte(" #")) {
		return line, false, nil
	}
	sum, err := strconv.ParseUint(string(line[at+2:]), 16, 16)
	if err != nil {
		return line, false, nil
	}
	if uint16(sum) != Sum(line[:at]) {
		return nil, true, fmt.Errorf("%w: the check sum is another: it was damaged on the line", ErrMessage)
	}
	return line[:at], true, nil
}
