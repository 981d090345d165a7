// Written by make contract from Go's types.
interface Act {
	do: string;
	block: string;
	row: string;
	to: WebpageSpot;
	by: string;
	split: string;
	new: WebpageBlock | null;
	title: string;
	description: string;
}
interface BenchState {
	id: number;
	revision: number;
	of_house: number;
	version: number;
	notice: string;
	undo: boolean;
	redo: boolean;
	settings: Settings;
	own: string[];
	house: Record<string, string>;
	unseen: SettingChange[];
	facts: string[];
	examining: boolean;
	published: boolean;
	since: string;
	style: FrameStyle;
	code: string;
	address: string;
	problems: Record<string, string>;
	pages: number;
	words: Record<string, string>;
	refused: PlacingRefusedSite[];
	stands: PlacingSeenPage[];
	verdict: ProofVerdict;
	musts: ProofElsewhere[];
	behind: string[];
	met: ProofMet[];
	inUnits: Record<string, Record<string, number>>;
	tools: DeskToolState[];
	pairs: DressPair[];
	screen: ProofScreen;
	site: number;
	sites: ProofSite[];
	view: ProofView;
	left: number;
	screens: DeskDrawn[];
	curve: ProofPoint[];
	answers: ProofAnswers;
	line: string;
	starter: DeskBegun;
	pulled: string;
	images: string;
	ladder: number[];
}
interface CarryState {
	id: number;
	seen: number;
	all: number;
	published: number;
	ended: boolean;
	said: string;
}
interface CollectionCollection {
	name: string;
	arrangement: string;
	order: string;
	search: boolean;
	sorting: boolean;
	facts: boolean;
	height: number;
	sites: string[];
	items: CollectionItem[];
}
interface CollectionItem {
	placement: number;
	category: string;
}
interface CollectionState {
	id: number;
	revision: number;
	undo: boolean;
	redo: boolean;
	notice: string;
	content: CollectionCollection;
	offers: Offers;
	inline: string;
	element: string;
	address: string;
}
interface Comparison {
	unseen: SettingChange[];
	published: FrameBox;
	draft: FrameBox;
	edition: string;
}
interface DeskBegun {
	name: string;
	reason: string;
	title: string;
}
interface DeskCarry {
	id: number;
	seen: number;
	all: number;
	published: number;
	ended: boolean;
}
interface DeskDrawn {
	screen: ProofScreen;
	box: FrameBox;
	percent: number;
	typed: boolean;
	body: ProofReading;
	smallest: ProofReading;
	shown: number;
	screens: number;
	sideways: boolean;
	tall: boolean;
	nested: boolean;
	fit: ToolbarFit;
	weight: ProofWeight;
	glosses: ProofGloss[];
	worst: ProofGloss;
	left: number;
	bar: SheetRect;
	inner: SheetRect;
	drawn: DeskDrawnPage[];
}
interface DeskDrawnPage {
	page: number;
	box: SheetRect;
}
interface DeskEffect {
	id: number;
	title: string;
	published: boolean;
	changes: SettingChange[];
	screens: DeskTurnOfScreen[];
}
interface DeskFollow {
	key: string;
	name: string;
	placements: number;
}
interface DeskPageFrame {
	style: FrameStyle;
	box: FrameBox;
	screen: ProofScreen;
	placement: number;
	title: string;
	own: string[];
	centred: boolean;
	mark: string;
}
interface DeskPlanned {
	due: string;
	version: number;
	by: string;
}
interface DeskScreenMark {
	screen: ProofScreen;
	worst: ProofGloss;
}
interface DeskToolState {
	tool: string;
	name: string;
	on: boolean;
	closed: string;
}
interface DeskTurnOfScreen {
	screen: string;
	title: string;
	better: boolean;
}
interface DressPair {
	name: string;
	ratio: number;
	needs: number;
}
interface FrameBox {
	Width: number;
	Height: number;
	InnerWidth: number;
	InnerHeight: number;
	Scale: number;
}
interface FrameState {
	revision: number;
	undo: boolean;
	redo: boolean;
	frame: WebpageFrame;
	notice: string;
}
interface FrameStyle {
	Width: string;
	Height: string;
	PlainWidth: string;
	PlainHeight: string;
	Across: string;
	PlainAcross: string;
	Down: string;
	Fixed: string;
	Margin: string;
	Dress: string;
	Fallback: number;
}
interface HouseState {
	settings: Settings;
	own: string[];
	house: Record<string, string>;
	words: Record<string, string>;
	problems: Record<string, string>;
	follow: DeskFollow[];
	placements: number;
	samples: DeskDrawn[];
	thought: Record<string, unknown>;
	changes: SettingChange[];
	effects: DeskEffect[];
	reached: number;
	readers: number;
	carry: DeskCarry | null;
	budget: number;
	sites: ProofSite[];
	revision: number;
	undo: boolean;
	redo: boolean;
	notice: string;
	said: string;
	inUnits: Record<string, Record<string, number>>;
	tools: DeskToolState[];
	pairs: DressPair[];
}
interface Offers {
	rows: PublishingOffer[];
	all: number;
}
interface PageConflict {
	message: string;
	mine: Act;
}
interface PageState {
	id: number;
	step: number;
	revision: number;
	undo: boolean;
	redo: boolean;
	by: string;
	at: string;
	page: WebpagePage;
	path: string;
	address: string;
	html: string;
	frames: Record<string, DeskPageFrame>;
	window: number;
	screens: DeskScreenMark[];
	glosses: WebpageGloss[];
	differences: WebpageDifference[];
	holds: number;
	since: string | null;
	since_by: string;
	plans: DeskPlanned[];
	accent: string;
	pulled: string;
	notice: string;
}
interface PageStep {
	revision: number;
	by: string;
	at: string;
}
interface PlacingRefusedSite {
	origin: string;
	times: number;
	last_seen: string;
}
interface PlacingSeenPage {
	page: string;
	times: number;
	last_seen: string;
	room_width: number;
	room_height: number;
}
interface Problems {
	message: string;
	problems: Record<string, string>;
}
interface ProofAnswers {
	readable_from: number;
	comfortable_from: number;
	one_page: number;
	best_zoom: number;
	on_phone: ProofPhone;
}
interface ProofElsewhere {
	kind: string;
	level: string;
	spot: ProofSpot;
	title: string;
	text: string;
	fixes: ProofFix[];
	screens: string[];
	page: number;
}
interface ProofFix {
	words: string;
	set: Record<string, unknown>;
	cost: string;
	worse: ProofWorse[];
}
interface ProofGloss {
	kind: string;
	level: string;
	spot: ProofSpot;
	title: string;
	text: string;
	fixes: ProofFix[];
}
interface ProofMet {
	column: number;
	times: number;
	share: number;
	worst: ProofGloss;
	body: ProofReading;
	typed: boolean;
}
interface ProofPhone {
	way: string;
	why: string;
}
interface ProofPoint {
	column: number;
	body: number;
	smallest: number;
}
interface ProofReading {
	size: number;
	x_height: number;
	angle: number;
	band: string;
}
interface ProofScreen {
	name: string;
	page: number;
	column: number;
	height: number;
	density: number;
}
interface ProofSite {
	name: string;
	column: number;
	margin: number;
}
interface ProofSpot {
	x: number;
	y: number;
}
interface ProofVerdict {
	must: number;
	care: number;
	elsewhere: ProofElsewhere[];
}
interface ProofView {
	screen: ProofScreen;
	box: FrameBox;
	percent: number;
	typed: boolean;
	body: ProofReading;
	smallest: ProofReading;
	shown: number;
	screens: number;
	sideways: boolean;
	tall: boolean;
	nested: boolean;
	fit: ToolbarFit;
	weight: ProofWeight;
	glosses: ProofGloss[];
}
interface ProofWeight {
	known: boolean;
	bytes: number;
	image: number;
	width: number;
	file: number;
	seconds: number[];
}
interface ProofWorse {
	kind: string;
	screen: string;
	title: string;
}
interface PublishingOffer {
	id: number;
	title: string;
	key?: string;
	pages?: number;
	published: boolean;
	guarded?: boolean;
	lately?: number;
}
interface SettingChange {
	key: string;
	name: string;
	from: string;
	to: string;
}
interface SettingLength {
	value: number;
	unit: string;
}
interface SettingOpening {
	kind: string;
	percent: number;
}
interface SettingPalette {
	paper: string;
	ink: string;
	accent: string;
}
interface Settings {
	width: SettingLength;
	max_width: number;
	height: SettingLength;
	align: string;
	zoom: SettingOpening;
	open_at: number;
	navigation: boolean;
	toolbar: boolean;
	tools: string[];
	download: boolean;
	print: boolean;
	min_width: number;
	min_height: number;
	max_height: number;
	least_zoom: number;
	most_zoom: number;
	narrow_zoom: number;
	narrow_out: string[];
	row_scale: string;
	flow: string;
	facing: string;
	order: string;
	bar_place: string;
	bar_shown: string;
	padding: number;
	border: number;
	corner: number;
	shadow: string;
	background: string;
	scheme: string;
	colours: SettingPalette;
	copying: boolean;
	text_view: string;
	pointer: string;
	name: boolean;
	fore_edge: boolean;
	dim: boolean;
	sites: string[];
	guarded: boolean;
}
interface SheetRect {
	x: number;
	y: number;
	w: number;
	h: number;
}
interface StartersScene {
	id: number;
	revision: number;
	images: string;
	ladder: number[];
	cards: DeskDrawn[][];
}
interface ToolbarFit {
	Shown: string[];
	More: string[];
}
interface Use {
	words: string;
	address: string;
}
interface WebpageBlock {
	id: string;
	kind: string;
	text?: string;
	of?: number;
	alt?: string;
	address?: string;
	set?: Record<string, unknown>;
}
interface WebpageColumn {
	blocks: WebpageBlock[];
}
interface WebpageDifference {
	block: string;
	row: string;
	how: string;
	words: string;
}
interface WebpageFrame {
	name: string;
	links: WebpageNav[];
	footer: string;
	accent: string;
	language: string;
}
interface WebpageGloss {
	kind: string;
	level: string;
	spot: ProofSpot;
	title: string;
	text: string;
	fixes: ProofFix[];
	block: string;
	screen: string;
	mends: WebpageMend[];
}
interface WebpageMend {
	words: string;
	cost: string;
	act: Act;
}
interface WebpageNav {
	label: string;
	page?: number;
	address?: string;
}
interface WebpagePage {
	title: string;
	description: string;
	rows: WebpageRow[];
}
interface WebpageRow {
	id: string;
	split: string;
	columns: WebpageColumn[];
}
interface WebpageSpot {
	row: number;
	column: number;
	at: number;
}
