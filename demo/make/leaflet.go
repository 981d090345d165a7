package main

// leaflet is one page in four languages and three scripts.
func leaflet(b *browser) ([]byte, error) {
	return b.document("Welcome to Harrowmere", "en", `@page{size:A4;margin:0}.page{width:210mm;height:296.9mm;padding:18mm 20mm}h1{font-size:24pt;border-bottom:.3mm solid #b9ae97;padding-bottom:4mm;margin-bottom:6mm}
article{margin-bottom:7mm}h2{font-size:14pt;color:#1f4a38}article p{font-size:11pt;line-height:1.6}[lang=ar]{font-family:"Noto Naskh Arabic","Noto Sans Arabic"}[lang=ar] p{font-size:13pt}[lang=ja]{font-family:IPAexMincho}[lang=ja] p{line-height:1.8}.foot{position:absolute;bottom:14mm;font:9pt Sans;color:#5a5664}`, `<section class="page"><h1>Welcome to Harrowmere</h1>
<article lang="en"><h2>English</h2><p>The marsh is open from sunrise to sunset. Please stay on the paths: the mud is deep and the tide comes in faster than a person can walk. The north hides flood on spring tides; ask at the desk when their path closes. Dogs stay on leads between March and August.</p></article>
<article lang="pl"><h2>Polski</h2><p>Bagno jest otwarte od świtu do zmierzchu. Prosimy nie schodzić ze ścieżek: muł jest głęboki, a przypływ nadchodzi szybciej, niż człowiek potrafi iść. Północne czatownie zalewa woda podczas pływów syzygijnych; zapytaj w recepcji, kiedy ścieżka jest zamknięta. Od marca do sierpnia psy prowadzimy na smyczy.</p></article>
<article lang="ar" dir="rtl"><h2>العربية</h2><p>المستنقع مفتوح من شروق الشمس إلى غروبها. يُرجى البقاء على الممرات، فالطين عميق والمدّ يأتي أسرع مما يستطيع الإنسان أن يمشي. تغمر المياه المخابئ الشمالية عند المدّ العالي؛ اسألوا في المكتب متى يُغلق الممر. تبقى الكلاب مربوطة من مارس إلى أغسطس.</p></article>
<article lang="ja"><h2>日本語</h2><p>湿地は日の出から日の入りまで開いています。道から外れないでください。泥は深く、潮は人が歩くより速く満ちてきます。大潮のときは北の観察小屋が水につかります。道が閉まる時刻は受付でおたずねください。三月から八月までは犬をつないでください。</p></article>
<p class="foot">Harrowmere Bird Observatory, the Sluice House, Harrowmere · harrowmere.example</p></section>`)
}
