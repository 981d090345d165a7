package setting

// Followed gives settings in force with some changes of house style carried
// into them, for those keys that own does not choose for itself.
func Followed(inForce Settings, own Patch, change Patch) (Settings, error) {
	p := Patch{}
	for k, v := range change {
		if _, chosen := own[k]; !chosen {
			p[k] = v
		}
	}
	return p.Over(inForce)
}
