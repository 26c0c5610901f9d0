# Gentle Tide: takes a survey of this machine's disks. It only reads; what it writes is the survey, and on request a
# manifest: hash, size and path of every file in chosen folders, by which lost and changed files are told afterwards;
# and holdings: what fills the volumes, folder by folder down to a size, with nothing of what is in the files.
# For Windows PowerShell 2.0 and later, as administrator:
#   powershell -ExecutionPolicy Bypass -File gentle-tide-survey.ps1 -Out survey.json
#   powershell -ExecutionPolicy Bypass -File gentle-tide-survey.ps1 -Out survey.json -Folders C:\Users,D:\ -Manifest files.txt
#   powershell -ExecutionPolicy Bypass -File gentle-tide-survey.ps1 -Out survey.json -Holdings holdings.json -Letters C,D
param(
  [string]$Out = "$env:COMPUTERNAME-survey.json",
  [string]$Folders = '',
  [string]$Manifest = "$env:COMPUTERNAME-files.txt",
  [string]$Holdings = '',
  [string]$Letters = ''
)

$ErrorActionPreference = 'Stop'
$script:notes = @()
$invariant = [Globalization.CultureInfo]::InvariantCulture

# What can't be read is no failure of the survey: it becomes a note. A survey holds 200 of them.
$script:more = 0
function Add-Gap($text) { if ($script:notes.Count -lt 199) { $script:notes += $text } else { $script:more++ } }

function Read-Class($class, $namespace) {
  if (-not $namespace) { $namespace = 'root\cimv2' }
  try { @(Get-WmiObject -Namespace $namespace -Class $class) } catch { @() }
}

# Names on NTFS may hold half of a surrogate pair, which no text file can: it stands there as \uD83D, and a name that reads so
# already has its backslash as \u005C.
function Format-Halves($text) {
  $text = [regex]::Replace([string]$text, '\\(?=u(?:D[89A-F][0-9A-F]{2}|005C))', '\u005C')
  $half = '[\uD800-\uDBFF](?![\uDC00-\uDFFF])|(?<![\uD800-\uDBFF])[\uDC00-\uDFFF]'
  [regex]::Replace($text, $half, { param($found) '\u' + ([int]$found.Value[0]).ToString('X4') })
}

# JSON by hand: ConvertTo-Json came with PowerShell 3.0.
function Format-Text($text) {
  $quoted = ''
  foreach ($char in (Format-Halves $text).ToCharArray()) {
    $code = [int]$char
    if ($code -lt 32 -or $code -gt 126 -or $char -eq '"' -or $char -eq '\') { $quoted += '\u' + $code.ToString('x4') }
    else { $quoted += $char }
  }
  '"' + $quoted + '"'
}

function Format-Json($value) {
  if ($null -eq $value) { return 'null' }
  if ($value -is [bool]) { return $value.ToString().ToLowerInvariant() }
  if ($value -is [hashtable]) {
    $fields = @($value.Keys | Sort-Object | ForEach-Object { (Format-Text $_) + ':' + (Format-Json $value[$_]) })
    return '{' + [string]::Join(',', $fields) + '}'
  }
  if ($value -is [array]) {
    $items = @($value | ForEach-Object { Format-Json $_ })
    return '[' + [string]::Join(',', $items) + ']'
  }
  if ($value -is [string] -or $value -is [char]) { return Format-Text $value }
  [string]::Format($invariant, '{0}', $value)
}

function Get-Guid($text) { if ($text) { ([string]$text).Trim('{}').ToUpperInvariant() } }

# Present since Windows 8; before that an EFI system partition tells.
function Get-Firmware($disks) {
  if ($env:firmware_type) { if ($env:firmware_type -eq 'UEFI') { return 'uefi' } else { return 'bios' } }
  foreach ($disk in $disks) {
    foreach ($partition in $disk.partitions) {
      if ($partition.type -eq 'C12A7328-F81F-11D2-BA4B-00A0C93EC93B') { return 'uefi' }
    }
  }
  'bios'
}

function Get-OnBattery {
  foreach ($battery in @(Read-Class 'Win32_Battery')) { if ($battery.BatteryStatus -eq 1) { return $true } }
  $false
}

# Where hibernation or fast start is on, its file is there.
function Get-Hibernation { [IO.File]::Exists("$env:SystemDrive\hiberfil.sys") }

# From the recovery environment's own file: printed output speaks the machine's language.
function Get-RecoveryEnvironment($disks) {
  $file = "$env:SystemRoot\System32\Recovery\ReAgent.xml"
  try {
    $document = New-Object Xml.XmlDocument
    $document.Load($file)
    $state = $document.SelectSingleNode('//InstallState')
    $place = $document.SelectSingleNode('//WinreLocation')
    $found = @{ enabled = ($null -ne $state -and $state.GetAttribute('state') -eq '1'); disk = $null; partition = $null }
    if ($found.enabled -and $place) {
      $offset = [uint64]$place.GetAttribute('offset')
      $guid = Get-Guid $place.GetAttribute('guid')
      foreach ($disk in $disks) {
        $same = ($disk.table -eq 'mbr') -or ($disk.id -eq $guid)
        foreach ($partition in $disk.partitions) {
          if ($same -and ([uint64]$partition.first * $disk.sectorSize) -eq $offset) {
            $found.disk = $disk.number
            $found.partition = $partition.number
          }
        }
      }
    }
    $found
  } catch {
    Add-Gap 'The state of the recovery environment could not be read.'
    $null
  }
}

function Get-Media($busType, $mediaType, $model) {
  if ($busType -eq 15 -or $model -match 'virtual') { return 'virtual' }
  if ($busType -eq 17) { return 'nvme' }
  if ($mediaType -eq 4) { return 'sata-ssd' }
  if ($mediaType -ne 3) { Add-Gap "What kind of drive $model is could not be read; it is taken for a hard disk." }
  'hdd'
}

function Get-FileSystem($name) {
  switch -regex ($name) {
    '^NTFS$' { 'ntfs'; break }
    '^ReFS$' { 'refs'; break }
    '^FAT32$' { 'fat32'; break }
    '^FAT$' { 'fat16'; break }
    '^exFAT$' { 'exfat'; break }
    default { 'unknown' }
  }
}

# Conversion status: 0 off, 1 on, 2 encrypting, 3 decrypting, 4 and 5 paused. Protection 0 on a converted volume: suspended.
function Get-Encryption($deviceId) {
  foreach ($volume in $script:encryptable) {
    if ($volume.DeviceID -ne $deviceId) { continue }
    try {
      $conversion = $volume.GetConversionStatus()
      $protection = $volume.GetProtectionStatus().ProtectionStatus
      $state = 'off'
      switch ([int]$conversion.ConversionStatus) {
        1 { if ($protection -eq 0) { $state = 'suspended' } else { $state = 'on' } }
        2 { $state = 'encrypting' }
        3 { $state = 'decrypting' }
        4 { $state = 'encrypting' }
        5 { $state = 'decrypting' }
      }
      return @{ state = $state; percent = [int]$conversion.EncryptionPercentage; usedOnly = (([int]$conversion.EncryptionFlags -band 1) -eq 1) }
    } catch {
      Add-Gap "The encryption state of $($volume.DriveLetter) could not be read."
      return $null
    }
  }
  $null
}

function Get-VolumeFacts($deviceId, $partitionBytes, $smallest) {
  foreach ($volume in $script:volumes) {
    if ($volume.DeviceID -ne $deviceId) { continue }
    $encryption = Get-Encryption $deviceId
    if (-not $volume.FileSystem) {
      if (-not $encryption -or $encryption.state -eq 'off') { return $null }
      return @{ fileSystem = 'encrypted'; size = $partitionBytes; encryption = $encryption }
    }
    $size = [Math]::Min([uint64]$volume.Capacity, [uint64]$partitionBytes)
    $facts = @{
      fileSystem = Get-FileSystem $volume.FileSystem
      label = [string]$volume.Label
      clusterSize = $volume.BlockSize
      size = $size
      used = $size - [Math]::Min([uint64]$volume.FreeSpace, $size)
      dirty = [bool]$volume.DirtyBitSet
    }
    if ($smallest) { $facts.smallestRunning = $smallest }
    if ($encryption) { $facts.encryption = $encryption }
    return $facts
  }
  $null
}

function Get-Smallest($disk, $partition) {
  if (-not $partition.DriveLetter -or [int]$partition.DriveLetter -eq 0) { return $null }
  try { (Get-PartitionSupportedSize -DiskNumber $disk -PartitionNumber $partition.PartitionNumber).SizeMin }
  catch { Add-Gap "The smallest size of $($partition.DriveLetter): could not be asked."; $null }
}

# What the storage commands leave out, as the disk's driver has it: IOCTL_DISK_GET_DRIVE_LAYOUT_EX gives a
# DRIVE_LAYOUT_INFORMATION_EX. Of a GPT (1 at byte 0) the first usable byte is at 24, the usable length at 32 and the number of
# entries at 40; Windows takes no entries but those of 128 bytes. The partitions, 144 bytes each, begin at byte 48, with the start at
# 8 and the 64 attribute bits at 64. The disk is opened for neither reading nor writing; asking needs no more.
function Read-Layout($disk, $sectorSize) {
  $found = @{}
  $read = @{ attributes = $found; facts = @{} }
  $device = $null
  try {
    $open = '[DllImport("kernel32.dll", CharSet = CharSet.Unicode, SetLastError = true)] public static extern Microsoft.Win32.SafeHandles.SafeFileHandle CreateFile(string name, uint access, uint share, IntPtr security, uint creation, uint flags, IntPtr template);'
    $ask = '[DllImport("kernel32.dll", SetLastError = true)] public static extern bool DeviceIoControl(Microsoft.Win32.SafeHandles.SafeFileHandle device, uint code, byte[] input, uint inputBytes, byte[] output, uint outputBytes, out uint returned, IntPtr overlapped);'
    Add-Type -Namespace GentleTide -Name Device -MemberDefinition ($open + $ask)
    $device = [GentleTide.Device]::CreateFile("\\.\PhysicalDrive$disk", 0, 3, [IntPtr]::Zero, 3, 0, [IntPtr]::Zero)
    $layout = New-Object byte[] 147504
    $count = [uint32]0
    if ([GentleTide.Device]::DeviceIoControl($device, 0x70050, $null, 0, $layout, 147504, [ref]$count, [IntPtr]::Zero)) {
      $entries = [BitConverter]::ToUInt32($layout, 4)
      $first = [BitConverter]::ToUInt64($layout, 24) / $sectorSize
      $length = [BitConverter]::ToUInt64($layout, 32) / $sectorSize
      $most = [BitConverter]::ToUInt32($layout, 40)
      if ([BitConverter]::ToUInt32($layout, 0) -eq 1 -and $first -gt 0 -and $length -gt 0 -and $most -gt 0) {
        $read.facts = @{ firstUsable = $first; lastUsable = $first + $length - 1; entries = $most; entrySize = 128 }
      }
      for ($at = 48; $at -lt 48 + 144 * $entries; $at += 144) {
        $found[[string][BitConverter]::ToUInt64($layout, $at + 8)] = '0x' + [BitConverter]::ToUInt64($layout, $at + 64).ToString('X16')
      }
    }
  } catch { } finally { if ($device) { $device.Close() } }
  if ($found.Count -eq 0) {
    Add-Gap "Attribute bits 0 to 59 of the partitions on disk $disk could not be read; bit 0 of a recovery partition is taken as set, as they have it."
  }
  $read
}

# Bits 60 to 63 as the storage commands tell them; bit 0 is usual on a recovery partition.
function Get-UsualAttributes($partition, $type) {
  $high = 0
  if ($partition.IsReadOnly) { $high = $high -bor 1 }
  if ($partition.IsShadowCopy) { $high = $high -bor 2 }
  if ($partition.IsHidden) { $high = $high -bor 4 }
  if ($partition.NoDefaultDriveLetter) { $high = $high -bor 8 }
  $low = '0'
  if ($type -eq 'DE94BBA4-06D1-4D40-A16A-BFD50179D6AC') { $low = '1' }
  '0x' + $high.ToString('X') + '00000000000000' + $low
}

# Logical drives lie inside an extended partition.
function Set-Kinds($partitions) {
  foreach ($frame in $partitions) {
    if ($frame.type -ne '0x05' -and $frame.type -ne '0x0F') { continue }
    $frame.kind = 'extended'
    foreach ($one in $partitions) {
      if ($one.number -ne $frame.number -and $one.first -gt $frame.first -and $one.first -lt $frame.first + $frame.sectors) { $one.kind = 'logical' }
    }
  }
}

function Get-PartitionFacts($disk, $partition, $attributes) {
  $facts = @{
    number = $partition.PartitionNumber
    first = [uint64]$partition.Offset / $disk.LogicalSectorSize
    sectors = [uint64]$partition.Size / $disk.LogicalSectorSize
    kind = 'primary'
    active = [bool]$partition.IsActive
  }
  if ($partition.GptType) {
    $facts.type = Get-Guid $partition.GptType
    $facts.id = Get-Guid $partition.Guid
    $facts.attributes = $attributes[[string][uint64]$partition.Offset]
    if (-not $facts.attributes) {
      $facts.attributes = Get-UsualAttributes $partition $facts.type
      $facts.unreadAttributes = '0x0FFFFFFFFFFFFFFF'
    }
  } else { $facts.type = '0x' + ([int]$partition.MbrType).ToString('X2') }
  if ($partition.DriveLetter -and [int]$partition.DriveLetter -ne 0) { $facts.letter = [string]$partition.DriveLetter }
  $path = @($partition.AccessPaths | Where-Object { $_ -like '\\?\Volume*' })[0]
  if ($path) { $facts.volume = Get-VolumeFacts $path $partition.Size (Get-Smallest $disk.Number $partition) }
  $facts
}

function Get-DiskFacts {
  $kinds = @{}
  foreach ($one in @(Get-PhysicalDisk)) { $kinds[[string]$one.DeviceId] = $one }
  foreach ($disk in @(Get-Disk | Sort-Object Number)) {
    # Numbers of the storage classes: 1 MBR, 2 GPT.
    $style = $disk.CimInstanceProperties['PartitionStyle'].Value
    $bare = $style -ne 1 -and $style -ne 2
    if ($bare -and [uint64]$disk.Size -eq 0) { Add-Gap "Disk $($disk.Number) shows no size and is left out."; continue }
    # It may be the one that everything is to move to.
    if ($bare) { Add-Gap "Disk $($disk.Number) has no partition table that Windows knows; it stands here as empty. See that it is." }
    $kind = $kinds[[string]$disk.Number]
    $media = 0
    if ($kind) { $media = $kind.CimInstanceProperties['MediaType'].Value }
    $layout = @{ attributes = @{}; facts = @{} }
    if ($style -eq 2) { $layout = Read-Layout $disk.Number $disk.LogicalSectorSize }
    $partitions = @()
    if (-not $bare) { $partitions = @(Get-Partition -DiskNumber $disk.Number -ErrorAction SilentlyContinue | ForEach-Object { Get-PartitionFacts $disk $_ $layout.attributes }) }
    Set-Kinds $partitions
    $id = Get-Guid $disk.Guid
    if ($style -eq 1) { $id = ([uint32]$disk.Signature).ToString('X8') }
    $layout.facts + @{
      number = $disk.Number
      model = ([string]$disk.FriendlyName).Trim()
      serial = ([string]$disk.SerialNumber).Trim()
      media = Get-Media $disk.CimInstanceProperties['BusType'].Value $media $disk.FriendlyName
      sectorSize = $disk.LogicalSectorSize
      sectors = [uint64]$disk.Size / $disk.LogicalSectorSize
      table = $(if ($style -eq 1) { 'mbr' } else { 'gpt' })
      id = $id
      partitions = $partitions
    }
  }
}

# Windows 7: the older classes name partition types in words and leave out those that they do not know.
function Get-OlderType($words) {
  switch -regex ($words) {
    '^GPT: System' { 'C12A7328-F81F-11D2-BA4B-00A0C93EC93B'; break }
    '^GPT' { 'EBD0A0A2-B9E5-4433-87C0-68B6B72699C7'; break }
    'Extended' { '0x0F'; break }
    '32-bit FAT' { '0x0C'; break }
    '16-bit FAT' { '0x06'; break }
    'Logical Disk Manager' { '0x42'; break }
    default { '0x07' }
  }
}

# The volume of an older partition, by way of its letter.
function Get-OlderVolume($partition) {
  $query = "ASSOCIATORS OF {Win32_DiskPartition.DeviceID='$($partition.DeviceID)'} WHERE AssocClass=Win32_LogicalDiskToPartition"
  foreach ($drive in @(Get-WmiObject -Query $query)) {
    foreach ($volume in $script:volumes) { if ($volume.DriveLetter -eq $drive.DeviceID) { return $volume } }
  }
  $null
}

function Get-OlderPartition($disk, $partition) {
  $facts = @{
    number = [int]$partition.Index + 1
    first = [uint64]$partition.StartingOffset / $disk.BytesPerSector
    sectors = [uint64]$partition.Size / $disk.BytesPerSector
    type = Get-OlderType $partition.Type
    kind = 'primary'
    active = [bool]$partition.BootPartition
  }
  if ($partition.Type -match 'Unknown') {
    $facts.role = 'unknown'
    Add-Gap "The type of partition $($facts.number) on disk $($disk.Index) could not be read."
  }
  $volume = Get-OlderVolume $partition
  if ($volume) {
    $facts.letter = ([string]$volume.DriveLetter).Trim(':')
    $facts.volume = Get-VolumeFacts $volume.DeviceID $partition.Size $null
  }
  $facts
}

function Get-OlderDisks {
  Add-Gap 'Taken without the storage commands: reserved partitions, GUIDs, attributes and smallest sizes are not in it.'
  $all = @(Read-Class 'Win32_DiskPartition')
  foreach ($disk in @(Read-Class 'Win32_DiskDrive' | Sort-Object Index)) {
    $partitions = @($all | Where-Object { $_.DiskIndex -eq $disk.Index } | ForEach-Object { Get-OlderPartition $disk $_ })
    if ($partitions.Count -eq 0) { Add-Gap "Disk $($disk.Index) shows no partitions and is left out."; continue }
    $gpt = @($all | Where-Object { $_.DiskIndex -eq $disk.Index -and $_.Type -like 'GPT*' }).Count -gt 0
    Set-Kinds $partitions
    @{
      number = $disk.Index
      model = ([string]$disk.Model).Trim()
      serial = ([string]$disk.SerialNumber).Trim()
      media = Get-Media 0 0 $disk.Model
      sectorSize = $disk.BytesPerSector
      sectors = [uint64]$disk.Size / $disk.BytesPerSector
      table = $(if ($gpt) { 'gpt' } else { 'mbr' })
      id = $(if (-not $gpt -and $disk.Signature) { ([uint32]$disk.Signature).ToString('X8') })
      partitions = $partitions
    }
  }
}

function Get-Whole($path) { [IO.Path]::GetFullPath([IO.Path]::Combine($PWD.ProviderPath, $path)) }

# A file that can't be read stands in the manifest with a hyphen; it may be in use.
function Get-FileLine($sha, $file, $size) {
  $hash = '-'
  try {
    $stream = [IO.File]::Open($file, 'Open', 'Read', 'ReadWrite')
    try { $hash = [BitConverter]::ToString($sha.ComputeHash($stream)).Replace('-', '') } finally { $stream.Close() }
  } catch { }
  "$hash`t$size`t" + (Format-Halves $file)
}

# Links and mounted folders lead elsewhere, or in circles: they are not followed.
function Test-Own($folder) { ([IO.File]::GetAttributes($folder) -band [IO.FileAttributes]::ReparsePoint) -eq 0 }

# Line by line as it goes, so that a million files need no room in memory.
function Write-Manifest($folders, $disks, $takenAt, $path) {
  $sha = [Security.Cryptography.SHA256]::Create()
  $writer = New-Object IO.StreamWriter($path, $false, (New-Object Text.UTF8Encoding($false)))
  $writer.NewLine = "`n"
  $files = [long]0
  $bytes = [long]0
  try {
    $ids = @($disks | ForEach-Object { $_.serial; $_.id } | Where-Object { $_ })
    $writer.WriteLine((Format-Json @{ format = 'gentle-tide/manifest'; version = 1; takenAt = $takenAt; machine = $env:COMPUTERNAME; disks = $ids; folders = $folders }))
    $waiting = New-Object 'Collections.Generic.Stack[string]'
    foreach ($folder in $folders) { $waiting.Push($folder) }
    while ($waiting.Count -gt 0) {
      $folder = $waiting.Pop()
      $inside = @()
      try {
        foreach ($one in [IO.Directory]::GetDirectories($folder)) { if (Test-Own $one) { $waiting.Push($one) } }
        $inside = @([IO.Directory]::GetFiles($folder))
      } catch {
        $writer.WriteLine("-`t0`t" + (Format-Halves $folder))
        $files++
        continue
      }
      foreach ($file in $inside) {
        $size = [long]0
        try { $size = (New-Object IO.FileInfo($file)).Length } catch { }
        $writer.WriteLine((Get-FileLine $sha $file $size))
        $files++
        $bytes += $size
        if ($files % 1000 -eq 0) { Write-Host "$files files" }
      }
    }
    $writer.WriteLine('{"files":' + $files + ',"bytes":' + $bytes + '}')
  } finally { $writer.Close() }
  Write-Host "Manifest of $files file(s) written to $path"
}

# A day as the document has it; before 1980 there was none.
function Get-Day($time) { if ($time.Year -lt 1980) { return $null }; $time.ToString('yyyy-MM-dd', $invariant) }

# Most of the component store has a second name elsewhere, under which it is counted: how many names a file has is asked through a
# handle that may neither read nor write. BY_HANDLE_FILE_INFORMATION has it at byte 40.
function Test-Linked($file) {
  if (-not $script:links) { return $false }
  $handle = $null
  try {
    $handle = [GentleTide.Names]::CreateFile($file, 0, 7, [IntPtr]::Zero, 3, 0x00200000, [IntPtr]::Zero)
    $known = New-Object byte[] 52
    [GentleTide.Names]::GetFileInformationByHandle($handle, $known) -and [BitConverter]::ToUInt32($known, 40) -gt 1
  } catch { $false } finally { if ($handle) { $handle.Close() } }
}

function Open-Names {
  try {
    $open = '[DllImport("kernel32.dll", CharSet = CharSet.Unicode, SetLastError = true)] public static extern Microsoft.Win32.SafeHandles.SafeFileHandle CreateFile(string name, uint access, uint share, IntPtr security, uint creation, uint flags, IntPtr template);'
    $names = '[DllImport("kernel32.dll", SetLastError = true)] public static extern bool GetFileInformationByHandle(Microsoft.Win32.SafeHandles.SafeFileHandle file, byte[] information);'
    Add-Type -Namespace GentleTide -Name Names -MemberDefinition ($open + $names)
    $true
  } catch { $false }
}

# What restore points take of a volume, which its folders do not tell.
function Get-RestorePoints($deviceId) {
  $id = ([string]$deviceId).Trim('\').Split('\')[-1]
  foreach ($area in @(Read-Class 'Win32_ShadowStorage')) {
    if (([string]$area.Volume).Contains($id)) { return [uint64]$area.UsedSpace }
  }
  $null
}

# One walk through a volume, folder by folder in the order in which they are found: what lies in each is added to the one around it at the
# end, from the last to the first. Links and mounted folders are not followed; what lies in the cloud only (offline, recalled) takes no room.
function Read-Folders($root, $cluster) {
  $paths = New-Object 'Collections.Generic.List[string]'
  $parents = New-Object 'Collections.Generic.List[int]'
  $bytes = New-Object 'Collections.Generic.List[long]'
  $files = New-Object 'Collections.Generic.List[long]'
  $newest = New-Object 'Collections.Generic.List[long]'
  $large = New-Object 'Collections.Generic.List[object]'
  $months = @{}
  $unread = 0
  $seen = [long]0
  $store = "$env:SystemRoot\WinSxS"
  $paths.Add($root); $parents.Add(-1); $bytes.Add(0); $files.Add(0); $newest.Add(0)
  for ($i = 0; $i -lt $paths.Count; $i++) {
    $inside = @()
    try { $inside = @((New-Object IO.DirectoryInfo($paths[$i])).GetFileSystemInfos()) } catch { $unread++ }
    $linked = $paths[$i].StartsWith($store, [StringComparison]::OrdinalIgnoreCase)
    foreach ($one in $inside) {
      $flags = [int]$one.Attributes
      if ($flags -band 0x10) {
        if (($flags -band 0x400) -eq 0) { $paths.Add($one.FullName); $parents.Add($i); $bytes.Add(0); $files.Add(0); $newest.Add(0) }
        continue
      }
      $size = [long]$one.Length
      if (($flags -band 0x401000) -or ($linked -and (Test-Linked $one.FullName))) { $size = [long]0 }
      if ($size % $cluster) { $size += $cluster - $size % $cluster }
      $bytes[$i] += $size
      $files[$i]++
      if ($one.LastWriteTimeUtc.Ticks -gt $newest[$i]) { $newest[$i] = $one.LastWriteTimeUtc.Ticks }
      if ($size -ge 16777216) {
        $large.Add(@{ folder = $i; name = $one.Name; bytes = $size; created = $one.CreationTimeUtc; changed = $one.LastWriteTimeUtc; opened = $one.LastAccessTimeUtc })
      }
      $came = $one.CreationTimeUtc.ToString('yyyy-MM', $invariant)
      $month = $one.LastWriteTimeUtc.ToString('yyyy-MM', $invariant)
      foreach ($name in @($came, $month)) { if (-not $months[$name]) { $months[$name] = @{ month = $name; created = [long]0; changed = [long]0; files = [long]0 } } }
      $months[$came].created += $size
      $months[$month].changed += $size
      $months[$month].files++
      $seen++
      if ($seen % 20000 -eq 0) { Write-Host "$root $seen files" }
    }
  }
  for ($i = $paths.Count - 1; $i -gt 0; $i--) {
    $around = $parents[$i]
    $bytes[$around] += $bytes[$i]
    $files[$around] += $files[$i]
    if ($newest[$i] -gt $newest[$around]) { $newest[$around] = $newest[$i] }
  }
  @{ paths = $paths; parents = $parents; bytes = $bytes; files = $files; newest = $newest; large = $large; months = $months; unread = $unread }
}

# Names the folders from a size on, from more where there are too many, and the largest files; as a document has them.
function Format-Held($read) {
  $least = [long]16777216
  for (;;) {
    $many = 0
    foreach ($size in $read.bytes) { if ($size -ge $least) { $many++ } }
    if ($many -le 1500) { break }
    $least = 2 * $least
  }
  $places = @{ 0 = 0 }
  $depths = @{ 0 = 0 }
  $named = @(@{ in = $null; name = ''; bytes = $read.bytes[0]; files = $read.files[0]; newest = Get-Day (New-Object DateTime $read.newest[0]) })
  for ($i = 1; $i -lt $read.paths.Count; $i++) {
    $around = $places[$read.parents[$i]]
    if ($null -eq $around -or $read.bytes[$i] -lt $least -or $depths[$around] -ge 250) { continue }
    $places[$i] = $named.Count
    $depths[$named.Count] = $depths[$around] + 1
    $name = $read.paths[$i].Split('\')[-1]
    $named += @{ in = $around; name = $name; bytes = $read.bytes[$i]; files = $read.files[$i]; newest = Get-Day (New-Object DateTime $read.newest[$i]) }
  }
  $held = @()
  foreach ($one in @($read.large | Sort-Object { -$_.bytes })) {
    $around = $places[$one.folder]
    if ($null -eq $around) { continue }
    if ($held.Count -ge 500) { break }
    $held += @{ in = $around; name = $one.name; bytes = $one.bytes; created = Get-Day $one.created; changed = Get-Day $one.changed; opened = Get-Day $one.opened }
  }
  $months = @($read.months.Values | Where-Object { [string]::CompareOrdinal($_.month, '1980') -ge 0 } | Sort-Object { $_.month })
  if ($months.Count -gt 360) { $months = @($months[($months.Count - 360)..($months.Count - 1)]) }
  @{ least = $least; folders = $named; files = $held; months = $months; unread = $read.unread }
}

function Get-Held($disk, $partition) {
  $letter = $partition.letter
  Write-Host "Looking at what fills ${letter}:"
  $volume = @($script:volumes | Where-Object { $_.DriveLetter -eq "${letter}:" })[0]
  $facts = $partition.volume
  $held = Format-Held (Read-Folders "${letter}:\" ([long]$facts.clusterSize))
  $held.disk = $disk.number
  $held.partition = $partition.number
  $held.letter = $letter
  $held.fileSystem = $facts.fileSystem
  $held.size = $facts.size
  $held.used = $facts.used
  $held.measure = 'length'
  $held.own = 0
  $held.restorePoints = Get-RestorePoints $volume.DeviceID
  $held
}

function Write-Document($value, $path) { [IO.File]::WriteAllText($path, (Format-Json $value)) }

function Write-Holdings($disks, $wanted, $takenAt, $path) {
  $script:links = Open-Names
  $held = @()
  foreach ($disk in $disks) {
    foreach ($partition in $disk.partitions) {
      $known = $partition.letter -and $partition.volume -and $partition.volume.clusterSize -and 'ntfs', 'fat32', 'fat16', 'exfat' -contains $partition.volume.fileSystem
      if ($known -and $held.Count -lt 8 -and ($wanted.Count -eq 0 -or $wanted -contains $partition.letter)) { $held += Get-Held $disk $partition }
    }
  }
  if ($held.Count -eq 0) { Write-Host 'No volume with a letter could be looked at; no holdings were written.'; return }
  Write-Document @{ format = 'gentle-tide/holdings'; version = 1; takenAt = $takenAt; machine = $env:COMPUTERNAME; volumes = $held } $path
  Write-Host "Holdings of $($held.Count) volume(s) written to $path"
}

$script:volumes = @(Read-Class 'Win32_Volume')
$script:encryptable = @(Read-Class 'Win32_EncryptableVolume' 'root\cimv2\Security\MicrosoftVolumeEncryption')
if ($script:encryptable.Count -eq 0) { Add-Gap 'Encryption could not be read: it is not installed, or this was not run as administrator.' }
$modern = Get-Command Get-Disk -ErrorAction SilentlyContinue
if ($modern) { $disks = @(Get-DiskFacts) } else { $disks = @(Get-OlderDisks) }

$survey = @{
  format = 'gentle-tide/survey'
  version = 1
  takenAt = (Get-Date).ToUniversalTime().ToString("yyyy-MM-ddTHH:mm:ssZ", $invariant)
  machine = @{
    name = $env:COMPUTERNAME
    firmware = Get-Firmware $disks
    onBattery = Get-OnBattery
    hibernation = Get-Hibernation
    recoveryEnvironment = Get-RecoveryEnvironment $disks
  }
  disks = $disks
}
if ($script:more -gt 0) { $script:notes += "and $($script:more) more notes, which are left out here." }
$survey.notes = $script:notes
$path = Get-Whole $Out
Write-Document $survey $path
Write-Host "Survey of $($disks.Count) disk(s) written to $path"
if ($Folders) {
  $chosen = @($Folders.Split(',') | ForEach-Object { Get-Whole $_.Trim() })
  Write-Manifest $chosen $disks $survey.takenAt (Get-Whole $Manifest)
}
if ($Holdings) {
  $wanted = @($Letters.Split(',') | ForEach-Object { $_.Trim(' :\').ToUpperInvariant() } | Where-Object { $_ })
  Write-Holdings $disks $wanted $survey.takenAt (Get-Whole $Holdings)
}
