"""What headings say in Chinese, Japanese, Korean, Russian, Ukrainian, Czech, Turkish, Swedish,
Danish, Hungarian, Finnish and Greek, for :mod:`.words`.

Patterns by quantity, written as they stand in a heading; from memory.
"""

MORE: dict[str, str] = {
    "CELL": r"单体|單體|电芯|電芯|セル|셀|ячейк|элемент|комірк|\bčlánek|\bčlánk"
    r"|hücre|\bkenno|στοιχεί",
    "VOLTAGE": r"电压|電壓|電圧|전압|напряж|напруг|napět|gerilim|voltaj|\bjännit|τάση|feszült"
    r"|spænd",
    "CURRENT": r"电流|電流|전류|\bток\b|струм|\bproud|\bakım|\bvirta|ρεύμα|\báram\b|\bstrøm",
    "DISCHARGE": r"放电|放電|방전|разряд|розряд|vybíj|deşarj|\bpurk|εκφόρτ|kisüt|merít"
    r"|urladd|aflad",
    "CHARGE": r"充电|充電|충전|заряд|nabíj|nabit|şarj|\blataus|φόρτι|\btölt|laddn|ladning|oplad",
    "POWER": r"功率|電力|전력|мощн|потужн|výkon|\bgüç|effekt\b|\bteho|ισχύ|teljesít",
    "PACK": r"总|總|総|电池组|電池|배터리|전체|общ|сумм|акб|батар|акум|загал|celk|toplam|kokonais"
    r"|συνολ|összes|samlet",
    "TEMPERATURE": r"温度|溫度|온도|темпер|teplot|sıcaklık|lämpö|θερμοκ|hőmér",
    "SOC": r"剩余电量|电量百分比|荷电|充電率|残量|충전율|충전량|잔량|уров\w* заряд"
    r"|заряд %|степень заряд"
    r"|рівень заряд|stav nabit|şarj durum|doluluk|varaus|φόρτιση %|töltötts|laddniv|laddningsgr"
    r"|ladetilst",
    "HEALTH": r"健康|循环|サイクル|здоров|цикл|terveys|állapot %",
    "LIMIT": r"限|保护|保護|阈值|閾値|제한|보호|лимит|предел|уставк|защит|\bmez|sınır|gräns|grænse"
    r"|raja-?arvo|határ",
    "STATISTIC": r"最高|最低|最大|最小|平均|差|최대|최소|최고|최저|평균|편차|\bмин|\bмакс|средн"
    r"|разн|перепад"
    r"|різниц|rozdíl|průměr|\ben (yük|düş|çok|az)|ortalama|fark\b|keskiarvo|\bero\b|medel|skilln"
    r"|forskel|átlag|eltérés|μέγ|ελάχ|διαφορ",
    "ELSEWHERE": r"光伏|太阳|太陽|电网|電網|负载|負荷|逆变|태양|부하|солнеч|сеть|нагруз"
    r"|инвертор|\bsítě|\bzátěž"
    r"|güneş|şebeke|\bnät|elnet|aurinko|verkko|kuorma|napelem|hálózat|ηλιακ|φορτίο",
    "BALANCING": r"均衡|平衡|バランス|밸런|баланс|vyvaž|vyrovn|dengele|tasaus|εξισορ|kiegyenl",
    "STATUS": r"状态|狀態|状態|상태|состоян|режим|направл|стан\b|stav\b|durum"
    r"|\btila\b|κατάστ|irány",
    "TIME": r"时间|時間|日期|日時|日付|时刻|시간|일시|날짜|время"
    r"|дата|\bчас\b|\bčas\b|zaman|tarih|\btid"
    r"|\baika|\bώρα|ημερομ|\bidő|dátum",
    "ELAPSED": r"运行时间|経過|경과|прошло|наработ|uplynul|geçen|förfluten|kulunut|eltelt",
    "CHARGING": r"充|충전|заряд|nabí|şarj|\blata|tölt|φόρτ",
    "DISCHARGING": r"放|방전|разряд|розряд|vybí|deşarj|purk|merít|kisüt|εκφόρτ",
    "IDLE": r"静置|空闲|待机|待機|休止|대기|휴지|покой|ожид|простой|klid|bekle|lepo|nyugal|αναμον",
}
