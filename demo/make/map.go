package main

// trailMap draws the marsh: north is up, a grid square is 250 m.
func trailMap(b *browser) ([]byte, error) {
	return b.document("Trail map", "en", `@page{size:A3 landscape;margin:0}.page{width:420mm;height:296.9mm;background:#fbf8ef}svg{display:block}
text{font-family:Sans;fill:#23222b}.t{font-family:Literata;font-weight:600}.i{font-family:Literata;font-style:italic;fill:#2c5f7c}.s{font-size:4px}.w{fill:#5a5664}`, `<section class="page"><svg viewBox="0 0 420 297" width="420mm" height="296.9mm" role="img" aria-label="Trail map of Harrowmere marsh">
<defs><pattern id="reed" width="4" height="5" patternUnits="userSpaceOnUse"><path d="M1 4V1M2.6 5V2" stroke="#8a9a5b" stroke-width=".35"/></pattern><pattern id="mud" width="5" height="3" patternUnits="userSpaceOnUse"><circle cx="1" cy="1" r=".28" fill="#a58e6f"/><circle cx="3.6" cy="2.2" r=".22" fill="#a58e6f"/></pattern><pattern id="grass" width="9" height="7" patternUnits="userSpaceOnUse"><path d="M1 6l1-2 1 2M6 3l.8-1.6.8 1.6" fill="none" stroke="#9db183" stroke-width=".35"/></pattern></defs>
<rect x="12" y="30" width="300" height="250" fill="#eef0df"/><rect x="12" y="30" width="300" height="250" fill="url(#grass)"/>
<path d="M12 30H312V88C280 96 262 78 236 84S196 108 168 98 110 78 84 92 40 112 12 104Z" fill="#cfe0e6"/>
<path d="M12 104C40 112 58 106 84 92S140 88 168 98 210 90 236 84 280 96 312 88V112C280 120 258 104 234 110S190 132 164 124 110 104 86 116 40 134 12 128Z" fill="#e2d6bd"/><path d="M12 104C40 112 58 106 84 92S140 88 168 98 210 90 236 84 280 96 312 88V112C280 120 258 104 234 110S190 132 164 124 110 104 86 116 40 134 12 128Z" fill="url(#mud)"/>
<path d="M12 136C50 142 92 124 126 130S196 146 236 126 290 126 312 122" fill="none" stroke="#6c6555" stroke-width="2.4"/><path d="M12 136C50 142 92 124 126 130S196 146 236 126 290 126 312 122" fill="none" stroke="#fff" stroke-width=".5" stroke-dasharray="2 1.4"/>
<path d="M188 100C184 128 196 150 178 172S150 196 152 222 138 262 140 280" fill="none" stroke="#cfe0e6" stroke-width="6"/><path d="M188 100C184 128 196 150 178 172S150 196 152 222 138 262 140 280" fill="none" stroke="#7fa8b8" stroke-width=".5"/>
<path d="M206 160C226 150 262 154 276 168S280 202 258 210 214 208 204 194 194 168 206 160Z" fill="#cfe0e6" stroke="#7fa8b8" stroke-width=".6"/><path d="M226 172q6-4 12 0t-2 8-12-2zM250 188q7-3 10 2t-6 6-8-3z" fill="#e9e3c8" stroke="#b9ae97" stroke-width=".4"/>
<path d="M28 158C58 150 104 160 118 178S96 214 70 214 18 196 28 158Z" fill="#dfe4bd"/><path d="M28 158C58 150 104 160 118 178S96 214 70 214 18 196 28 158Z" fill="url(#reed)"/>
<g fill="none" stroke-linecap="round" stroke-linejoin="round"><path d="M166 262C168 236 160 226 172 200S186 162 178 140" stroke="#23222b" stroke-width="1.6"/><path d="M178 140C150 132 122 126 96 132S58 124 46 120" stroke="#9c2a24" stroke-width="1.6" stroke-dasharray="4 2"/><path d="M178 140C204 144 222 132 238 128M206 142C204 150 200 152 200 158" stroke="#24467a" stroke-width="1.6"/><path d="M166 262C196 258 232 244 262 240S300 208 292 180 262 138 238 128" stroke="#256b5c" stroke-width="1.6" stroke-dasharray=".2 3"/><path d="M166 262C134 254 104 244 92 226S108 206 114 194" stroke="#8f5a0a" stroke-width="1.6" stroke-dasharray="6 2 1 2"/></g>
<g><rect x="158" y="258" width="16" height="10" fill="#9c2a24"/><rect x="92" y="128" width="6" height="5" fill="#23222b"/><rect x="44" y="116" width="6" height="5" fill="#23222b"/><rect x="197" y="156" width="6" height="5" fill="#23222b"/><rect x="111" y="190" width="6" height="5" fill="#23222b"/><circle cx="178" cy="140" r="2.4" fill="#fff" stroke="#23222b"/><circle cx="238" cy="128" r="2.4" fill="#fff" stroke="#23222b"/></g>
<g font-size="5"><text x="178" y="268" class="t">Sluice House</text><text x="178" y="274" class="s w">desk, toilets, car park for eleven</text><text x="84" y="144">North hide one</text><text x="34" y="114">North hide two</text><text x="206" y="166">Scrape hide</text><text x="120" y="196">Ringing hut</text><text x="182" y="146" class="s">gate 1</text><text x="242" y="126" class="s">gate 5</text></g>
<g font-size="6.5" class="i"><text x="60" y="62" font-size="9">Harrow Bay</text><text x="120" y="112" class="i">mud, never walk here</text><text x="222" y="200">the scrape</text><text x="44" y="188" fill="#5d6b2f">reedbed</text><text x="150" y="246" transform="rotate(-74 150 246)" font-size="5">Pool Creek</text><text x="226" y="228" fill="#5d7040">grazing marsh</text></g>
<g stroke="#b9ae97" stroke-width=".25">`+gridLines()+`</g><g font-size="4.5" class="w">`+gridLetters()+`</g><rect x="12" y="30" width="300" height="250" fill="none" stroke="#23222b" stroke-width=".6"/>
<text x="12" y="22" class="t" font-size="13">Trail map</text><text x="80" y="22" font-size="6" class="w">Harrowmere Bird Observatory · one square is 250 m</text>
<g transform="translate(326 38)"><text class="t" font-size="8">Paths</text>
<g stroke-linecap="round" stroke-width="1.6"><path d="M0 12h18" stroke="#23222b"/><path d="M0 32h18" stroke="#9c2a24" stroke-dasharray="4 2"/><path d="M0 58h18" stroke="#24467a"/><path d="M0 78h18" stroke="#256b5c" stroke-dasharray=".2 3"/><path d="M0 98h18" stroke="#8f5a0a" stroke-dasharray="6 2 1 2"/></g>
<g font-size="4.6"><text x="23" y="13.5" font-weight="600">Spine path, 0.8 km</text><text x="23" y="19" class="w">boards and gravel, wheelchairs</text><text x="23" y="33.5" font-weight="600">North bank, 1.1 km</text><text x="23" y="39" class="w">floods at 4.1 m: closed two hours</text><text x="23" y="44.5" class="w">before high water to two after</text><text x="23" y="59.5" font-weight="600">Scrape path, 0.5 km</text><text x="23" y="65" class="w">floods at 4.6 m</text><text x="23" y="79.5" font-weight="600">Landward round, 2.4 km</text><text x="23" y="85" class="w">the way back when the flag is up</text><text x="23" y="99.5" font-weight="600">Hut path, 0.7 km</text><text x="23" y="105" class="w">with a volunteer, calm mornings</text></g>
<text y="130" class="t" font-size="8">Before you go</text><g font-size="4.6"><text y="140">Check the tide table at the desk.</text><text y="147">Stay on the paths below the wall.</text><text y="154">Dogs on leads, March to August.</text><text y="161">In need: radio channel 4, or shout</text><text y="168">and give the grid square.</text></g>
<g transform="translate(36 200)"><path d="M0-18L6 8 0 3-6 8Z" fill="#23222b"/><text x="0" y="-21" text-anchor="middle" font-size="6" class="t">N</text></g>
<g transform="translate(0 226)" font-size="4.4"><path d="M0 0h60M0-2v4M30-2v4M60-2v4" stroke="#23222b" stroke-width=".6"/><text x="0" y="7" text-anchor="middle">0</text><text x="30" y="7" text-anchor="middle">250</text><text x="60" y="7" text-anchor="middle">500 m</text></g></g>
</svg></section>`)
}

func gridLines() string {
	out := ""
	for i := 1; i < 10; i++ {
		out += line(12+i*30, 30, 12+i*30, 280)
	}
	for i := 1; i < 9; i++ {
		out += line(12, 30+i*30, 312, 30+i*30)
	}
	return out
}

func gridLetters() string {
	out := ""
	for i := range 10 {
		out += label(12+i*30+15, 28, string(rune('A'+i)))
	}
	for i := range 8 {
		out += label(8, 30+i*30+16, string(rune('1'+i)))
	}
	return out
}
