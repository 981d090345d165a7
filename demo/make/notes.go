package main

// notes is two pages of Japanese set in vertical lines, from right to left.
func notes(b *browser) ([]byte, error) {
	return b.document("春のハローミア", "ja", `@page{size:148mm 210mm;margin:0}.page{width:148mm;height:209.9mm;padding:16mm 18mm;writing-mode:vertical-rl;font-family:IPAexMincho}h1{font-size:20pt;margin:0 0 0 8mm;font-weight:400}p{font-size:11.5pt;line-height:1.9;margin:0;text-indent:1em}.no{position:absolute;bottom:7mm;left:0;right:0;text-align:center;writing-mode:horizontal-tb;font:9pt Sans;text-indent:0}`,
		`<section class="page"><h1>春のハローミア</h1><p>三月になると、湿地の水は少しずつ引いていきます。タゲリが草地の上で声をあげ、アカアシシギが杭の上に立ちます。観察小屋の窓から見ると、泥の上に小さな足あとが続いています。</p><p>潮の高い日には、北の道が水につかります。受付で時刻をたずねてから歩いてください。満潮の一時間前には、鳥が浅い池に集まります。数を数える人たちは、三人で同じ群れを見ます。</p><p>四月の終わりには、渡りの鳥が次々に通りすぎます。静かに待っていると、鳥のほうから近づいてくることがあります。</p><p class="no">一</p></section><section class="page"><p>五月の朝は早く始まります。日の出の前に小屋に入り、扉をそっと閉めてください。ノートには、鳥の名前と数と時刻を書きます。わからないときは、わからないと書くのがよい記録です。</p><p class="no">二</p></section>`)
}
