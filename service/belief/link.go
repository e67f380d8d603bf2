package belief

import (
	"slices"
	"time"

	"urbo/core/control"
)

// led is what devices that follow one were told of it.
type led struct {
	entries int            // of its log that they know of
	was     control.Belief // what was believed of it after those
	reached map[control.Lead]control.Reach
	anew    bool // all since its base has to be told them anew
}

// begin lets all that comes from now on be told.
func (m *mind) begin() {
	m.led = led{entries: len(m.log), was: m.now}
}

// followers are the devices that follow one. The caller holds mu.
func (b *Beliefs) followers(id string) []*mind {
	if b.led == nil {
		b.led = map[string][]*mind{}
		for _, m := range b.minds {
			for _, l := range m.spec.Leads() {
				if !slices.Contains(b.led[l.DeviceID], m) {
					b.led[l.DeviceID] = append(b.led[l.DeviceID], m)
				}
			}
		}
	}
	return b.led[id]
}

// leads presses what other devices follow of one, as far as it came there since they were told last. The caller holds
// mu.
func (b *Beliefs) leads(m *mind) {
	followers := b.followers(m.id)
	if len(followers) == 0 {
		m.begin()
		return
	}
	now, anew := b.Now(), m.led.anew
	news := make([][]entry, len(followers))
	for i, f := range followers {
		for _, lead := range f.spec.Leads() {
			if lead.DeviceID == m.id {
				news[i] = append(news[i], m.pressed(lead, now)...)
			}
		}
		slices.SortStableFunc(news[i], func(a, b entry) int { return a.at().Compare(b.at()) })
	}
	m.led.entries, m.led.was, m.led.anew = len(m.log), m.now, false // before it is told: they may lead back here
	for i, f := range followers {
		changed := false
		if anew {
			changed = f.retold(m.id, news[i])
		} else {
			for _, e := range news[i] {
				changed = f.add(e) || changed
			}
		}
		if changed {
			b.changed(f, "")
			b.wakeWatch()
		}
	}
}

// pressed are the presses that something that is followed makes, and notes how surely it is there by now.
func (m *mind) pressed(lead control.Lead, now time.Time) (out []entry) {
	from, was := m.led.entries, m.led.was
	reach, known := m.led.reached[lead]
	value := lead.Value
	if value == "" {
		value = "on"
	}
	if m.led.anew || from > len(m.log) {
		from, was, known = 0, m.base, false
	}
	if !known {
		at := m.baseAt
		if from > 0 {
			at = m.log[from-1].at()
		}
		reach = m.spec.Reaches(was, lead.Control, value, at)
	}
	step := func(is control.Belief, at time.Time, e *entry) {
		next := m.spec.Reaches(is, lead.Control, value, at)
		touched := e != nil && e.Press != nil && e.Press.Source != control.ByLink &&
			m.spec.Touches(e.Press.Key, lead.Control)
		cause := ""
		if e != nil {
			cause = e.ID
		}
		for _, p := range turns(lead, reach, next, touched, e != nil && e.Tell != nil) {
			p.At, p.Source, p.Cause = at, control.ByLink, cause
			out = append(out, entry{Press: &p, Leader: m.id})
		}
		reach = next
	}
	for i := from; i < len(m.log); i++ {
		e := &m.log[i]
		step(was, e.at(), nil)
		was = m.fold(was, *e)
		step(was, e.at(), e)
	}
	step(was, now, nil)
	if m.led.reached == nil {
		m.led.reached = map[control.Lead]control.Reach{}
	}
	m.led.reached[lead] = reach
	return out
}

// turns are the presses of a lead that goes from one reach to another. What was only told came about at some time
// before, or was so all along.
func turns(lead control.Lead, was, is control.Reach, touched, told bool) []control.Press {
	press := func(key string, sure bool) control.Press {
		if sure {
			return control.Press{Key: key, Outcome: control.Sent}
		}
		return control.Press{Key: key, Outcome: control.Unknown}
	}
	fed, unfed := control.FedKey(true), control.FedKey(false)
	if lead.Value == "" { // what feeds it: that counts at any time
		switch {
		case is == control.Always && was != is:
			return []control.Press{press(fed, true)}
		case is == control.Never && was != is:
			return []control.Press{press(unfed, true)}
		case is == control.Perhaps && was == control.Always:
			return []control.Press{press(unfed, false)}
		case is == control.Perhaps && was == control.Never:
			return []control.Press{press(fed, false)}
		case is == control.Perhaps && touched:
			return []control.Press{press(unfed, false), press(fed, false)}
		}
		return nil
	}
	switch {
	case is == control.Never, was == control.Always, was == is && !touched:
		return nil
	}
	return []control.Press{press(lead.Key, was == control.Never && is == control.Always && !told)}
}

// retold puts presses of a device that is followed in the place of those that were told before. It tells whether that
// changed anything.
func (m *mind) retold(leader string, pressed []entry) bool {
	pressed = slices.DeleteFunc(pressed, func(e entry) bool { return e.at().Before(m.baseAt) })
	same := func(a, b entry) bool {
		return a.Press.Key == b.Press.Key && a.Press.At.Equal(b.Press.At) && a.Press.Outcome == b.Press.Outcome
	}
	var had []entry
	for _, e := range m.log {
		if e.Leader == leader {
			had = append(had, e)
		}
	}
	if slices.EqualFunc(had, pressed, same) {
		return false
	}
	m.log = slices.DeleteFunc(slices.Clone(m.log), func(e entry) bool { return e.Leader == leader })
	m.refold()
	for _, e := range pressed {
		e.Late = true
		m.add(e)
	}
	m.rebased = true
	m.others++
	return true
}

// feed notes what feeds a device, where that was not known yet: it may be off. The caller holds mu.
func (b *Beliefs) feed(m *mind, fed *control.Feed) {
	leader := b.minds[fed.DeviceID]
	if leader == nil {
		return
	}
	now := b.Now()
	reach := leader.spec.Reaches(leader.now, fed.Control, "on", now)
	if reach != control.Perhaps {
		m.base = m.spec.FedNow(m.base, reach == control.Always)
		m.rebased = true
		m.refold()
		m.begin()
	}
}

// movedBy are the devices that follow a device, and that what is wanted of it would set or feed. The caller holds mu.
func (b *Beliefs) movedBy(id string, wants []control.Want) (out []string) {
	m := b.minds[id]
	if m == nil {
		return nil
	}
	for _, f := range b.followers(id) {
		for _, lead := range f.spec.Leads() {
			for _, w := range wants {
				value := lead.Value
				if value == "" {
					value = "on"
				}
				hits := lead.Value == "" || w.Value == value || value == "on" && w.Value != "off"
				if lead.DeviceID == id && lead.Control == w.Control && hits && !slices.Contains(out, f.slug) &&
					!(w.Value != "off" && m.spec.Reaches(m.now, lead.Control, value, b.Now()) == control.Always) {
					out = append(out, f.slug)
				}
			}
		}
	}
	return out
}
