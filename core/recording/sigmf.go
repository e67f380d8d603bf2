package recording

import (
	"archive/tar"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"
)

// Meta is what Urbo reads of SigMF metadata (sigmf.org, version 1).
type Meta struct {
	Global struct {
		Datatype string  `json:"core:datatype"`
		Rate     float64 `json:"core:sample_rate"`
	} `json:"global"`
	Captures []struct {
		Frequency float64 `json:"core:frequency"`
	} `json:"captures"`
}

// maxMeta is the greatest size of SigMF metadata in bytes.
const maxMeta = 4 << 20

// ReadMeta reads the metadata that belong to a file of samples, and turns them into options. Errors wrap
// ErrRecording.
func ReadMeta(r io.Reader) (Options, error) {
	data, err := io.ReadAll(io.LimitReader(r, maxMeta+1))
	if err != nil {
		return Options{}, fmt.Errorf("%w: SigMF metadata: %w", ErrRecording, err)
	}
	if len(data) > maxMeta {
		return Options{}, fmt.Errorf("%w: SigMF metadata of more than %d bytes", ErrRecording, maxMeta)
	}
	var m Meta
	if err := json.Unmarshal(data, &m); err != nil {
		return Options{}, fmt.Errorf("%w: SigMF metadata: %w", ErrRecording, err)
	}
	if m.Global.Datatype == "" || m.Global.Rate == 0 {
		return Options{}, fmt.Errorf("%w: SigMF metadata without core:datatype or core:sample_rate", ErrRecording)
	}
	o := Options{Format: "iq", Datatype: m.Global.Datatype, RateHz: m.Global.Rate}
	if len(m.Captures) > 0 {
		o.FrequencyHz = m.Captures[0].Frequency
	}
	return o, nil
}

func sniffTar(head []byte) bool { return len(head) >= 262 && string(head[257:262]) == "ustar" }

// openSigMF reads an archive: a tar file that holds metadata, then samples.
func openSigMF(r *Reader) (source, error) {
	archive := tar.NewReader(r.in)
	var o *Options
	for {
		h, err := archive.Next()
		switch {
		case errors.Is(err, io.EOF):
			return nil, errors.New("the archive has no samples (*.sigmf-data) after its metadata (*.sigmf-meta)")
		case err != nil:
			return nil, fmt.Errorf("the archive is damaged: %w", err)
		case strings.HasSuffix(h.Name, ".sigmf-meta"):
			read, err := ReadMeta(archive)
			if err != nil {
				return nil, err
			}
			o = &read
		case strings.HasSuffix(h.Name, ".sigmf-data"):
			if o == nil {
				return nil, errors.New("the archive has its samples before their metadata: put *.sigmf-meta first")
			}
			return newIQ(r, archive, o.Datatype, o.RateHz, o.FrequencyHz, h.Size)
		}
	}
}
